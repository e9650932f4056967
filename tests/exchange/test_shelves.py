"""A publication made part by part is the one in memory, wherever it goes, and reads its items as they are asked for."""

import numpy as np
import pandas as pd
import pytest
from typer.testing import CliRunner

import veridex as vx
from conftest import monthly, portfolio
from veridex.cli.main import app
from veridex.core.publication.reproducing import compared
from veridex.errors import DestinationRefused, ItemUnknown
from veridex.exchange import homes
from veridex.exchange.forms import publications, shelves

SCHEME = vx.RollingOrigin(horizon=4, origins=6)


@pytest.fixture(scope="module")
def history():
    """Items of several routes, one of them without a forecast by the method that is stated."""
    return vx.History.of([*portfolio(6), monthly([3.0, 4.0], item="new")["new"]])


@pytest.mark.parametrize("source", ["verdict", "own method"])
def test_parts_are_the_whole(history, source, tmp_path, monkeypatch):
    monkeypatch.setattr(shelves, "PART", 3)
    given = {"horizon": 4, "quantiles": [90]}
    if source == "verdict":
        trial = vx.backtest(history, ["theta", "seasonal-naive"], SCHEME, to=tmp_path / "trial")
        given |= {"verdict": vx.decide(trial).override("item-1", "theta", "Ada: a fair"), "groups": ["all"]}
    else:
        given |= {"method": "theta"}
    counted = []
    places = [tmp_path / "p.parquet", tmp_path / "p", f"sqlite:///{tmp_path / 'p.db'}"]
    engine = "processes" if source == "verdict" else "serial"
    whole = vx.publish(history, **given)
    parts = vx.publish(history, **given, to=places, progress=lambda *how: counted.append(how), engine=engine)
    assert counted == [(k, 7) for k in range(1, 8)]
    for name in ("frame", "totals", "models"):
        assert getattr(parts, name).equals(getattr(whole, name))
    assert compared(parts, whole, history).same and parts.items == whole.items and len(parts.published) == 7
    assert parts["item-4"].law(2).quantile(0.9) == whole["item-4"].law(2).quantile(0.9)
    for place in places:
        assert compared(vx.read_publication(place), whole, history).same
    monkeypatch.setattr(publications, "AT_ONCE", 1)
    for again in (vx.read_publication(places[0]), vx.read_publication(vx.write(parts, tmp_path / "again.parquet"))):
        assert isinstance(again.published, shelves.FoundItems) and list(again.published) == list(history.names)
        vx.write(whole, places[0])  # what another writer puts there does not touch what was opened
        assert compared(again, whole, history).same and again.items == whole.items
        assert again.frame.equals(whole.frame) and again.totals.equals(whole.totals)
        vx.write(again, tmp_path / "copy")
        assert compared(vx.read_publication(tmp_path / "copy"), whole, history).same
    with pytest.raises(ItemUnknown):
        parts["item-9"]


def test_a_publication_that_was_killed_goes_on_where_it_was_unless_something_changed(history, tmp_path, monkeypatch):
    monkeypatch.setattr(shelves, "PART", 2)
    odd = monthly(np.arange(30.0) % 12, item="hive\x00\r stand")
    history = vx.History.of([*odd, *list(history)[:6]])
    vx.backtest(history, ["theta", "seasonal-naive"], SCHEME, to=tmp_path / "trial")
    verdict = vx.decide(vx.read_trial(tmp_path / "trial"))

    def made(verdict, last=None, **words):
        """How many items were made, and the publication; killed after the last."""
        counted = []

        def stop(done, _of):
            counted.append(done)
            if done == last:
                raise KeyboardInterrupt

        try:
            found = vx.publish(history, verdict, horizon=4, groups=["all"], to=tmp_path / "p", progress=stop, **words)
        except KeyboardInterrupt:
            found = None
        return len(counted), found

    def beside():
        return [one for one in (tmp_path / "trial").iterdir() if one.name.startswith(homes.PUBLISHED)]

    assert made(verdict, 5) == (5, None) and not (tmp_path / "p").exists()
    assert len(beside()) == 1 and vx.read_trial(tmp_path / "trial").errors.equals(verdict.trial.errors)
    again, found = made(vx.decide(vx.read_trial(tmp_path / "trial")))
    assert again == 3, "two parts of two were there"
    whole = vx.publish(history, verdict, horizon=4, groups=["all"])
    assert compared(found, whole, history).same and compared(vx.read_publication(tmp_path / "p"), whole, history).same
    del found
    assert beside() == []
    for changed, words in ((verdict.override("item-1", "theta", "Ada: a fair"), {}), (verdict, {"quantiles": [90]})):
        made(verdict, 5)
        assert made(changed, **words)[0] == 7
        assert beside() == []


class Dying:
    """An engine whose workers die of the third task, however often it is tried."""

    def map(self, function, tasks, lost=None):
        return (lost(tasks[k]) if k == 2 else function(tasks[k]) for k in range(len(tasks)))


@pytest.mark.parametrize("source", ["verdict", "own method"])
def test_an_item_whose_workers_die_is_reported_and_the_others_published(history, source, tmp_path):
    given = {"method": "theta"}
    if source == "verdict":
        given = {"verdict": vx.decide(vx.backtest(history, ["theta", "seasonal-naive"], SCHEME))}
    whole = vx.publish(history, **given, horizon=3)
    vx.publish(history, **given, horizon=3, engine=Dying(), to=tmp_path / "p")
    read = vx.read_publication(tmp_path / "p")
    lost = read[history.names[2]]
    assert not lost.available and lost.reason == "whoever was to publish it died, and died again"
    others = [name for name in history.names if name != lost.item]
    for name in ("frame", "models"):
        ours, theirs = (getattr(one, name).set_index("item").loc[others] for one in (read, whole))
        pd.testing.assert_frame_equal(ours, theirs)


def test_an_item_whose_workers_die_in_a_verdict_has_no_choice_and_the_others_have_theirs(history, tmp_path):
    trial = vx.backtest(history, ["theta", "seasonal-naive"], SCHEME, to=tmp_path / "trial")
    verdict = vx.decide(trial, engine=Dying())
    assert verdict.choices.key != vx.decide(trial).choices.key
    made = vx.publish(history, verdict, horizon=2)
    said = [made[name].reason for name in history.names]
    assert "the process that worked on this item died twice" in said.pop(2) and set(said) == {""}


class Stopped:
    """Serial work that is killed after so many items, and says how many there were to be done."""

    def __init__(self, after):
        self.after, self.asked = after, []

    def map(self, function, tasks, lost=None):
        self.asked.append(len(tasks))
        for k in range(len(tasks)):
            if self.after == 0:
                raise KeyboardInterrupt
            self.after -= 1
            yield function(tasks[k])


@pytest.mark.parametrize("cut", [0, 9])
def test_a_verdict_that_was_killed_goes_on_and_says_the_same(history, cut, tmp_path):
    trial = vx.backtest(history, ["theta", "seasonal-naive", "croston"], SCHEME, to=tmp_path / "trial")
    whole, count = vx.decide(vx.backtest(history, ["theta", "seasonal-naive", "croston"], SCHEME)), len(history.names)
    for after, asked in ((4, [count]), (2 + 3, [count - 4, count]), (1, [0, count - 2])):
        with pytest.raises(KeyboardInterrupt):
            vx.decide(vx.read_trial(tmp_path / "trial"), engine=(engine := Stopped(after)))
        assert engine.asked == asked
    (home,) = tmp_path.glob("trial/decided-*")
    kept = home / "chosen"
    kept.write_bytes(kept.read_bytes()[: kept.stat().st_size - cut])
    found = vx.decide(trial, engine=(engine := Stopped(99)))
    assert engine.asked == [0, count - 3 + (cut > 0)] and not list(tmp_path.glob("trial/decided-*"))
    one, other = (vx.publish(history, verdict, horizon=4) for verdict in (found, whole))
    assert compared(one, other, history).same
    vx.decide(trial, rule="single", engine=(engine := Stopped(99)))
    assert engine.asked == [count, count]


def test_a_destination_is_refused_before_the_work(history, tmp_path, monkeypatch):
    done = []
    with pytest.raises(DestinationRefused, match="no place of this kind"):
        vx.publish(history, method="naive", to=tmp_path / "p.txt", progress=lambda *how: done.append(how))
    monkeypatch.setattr("veridex.exchange.places.workbooks.place.Workbook.room", refuse)
    with pytest.raises(DestinationRefused, match="too many rows: 518"):
        vx.publish(history, method="naive", to=tmp_path / "p.xlsx", progress=lambda *how: done.append(how))
    assert done == [] and list(tmp_path.iterdir()) == []


def refuse(place, rows):
    raise DestinationRefused(place.shown, f"too many rows: {rows['forecast']}", "Name a directory.")


def test_commands_with_many_items_go_by_parts_and_say_the_same(history, tmp_path, monkeypatch):
    source = tmp_path / "demand.csv"
    history.to_frame().to_csv(source, index=False)
    words = ["publish", str(source), "--item", "item", "--period", "period", "--demand", "demand", "--groups", "all"]
    words += ["--methods", "theta, seasonal-naive", "--origins", "6", "--horizon", "4", "--engine", "serial"]
    found = []
    for most in (1000, 2):
        for place in ("testing", "shelving"):
            monkeypatch.setattr(f"veridex.job.{place}.IN_MEMORY", most)
        held = vx.read_publication(ran(words, tmp_path / f"kept-{most}"))
        found.append(held)
    assert compared(*found, history).same and found[0].groups[0].members == found[1].groups[0].members


def ran(words, place):
    """A command of this process; where it published to."""
    done = CliRunner().invoke(app, [*words, "--to", str(place)])
    assert done.exit_code == 0, done.output
    return place
