"""A trial in a directory is the one in memory: the same bits, verdicts and publications, killed and gone on with."""

import json
import shutil

import numpy as np
import pytest
from typer.testing import CliRunner

import veridex as vx
from conftest import monthly, portfolio
from veridex.cli.main import app
from veridex.core.backtest.folds import ARRAYS
from veridex.engines.processes import ProcessEngine
from veridex.errors import DestinationRefused, TrialUnreadable

LINEUP = ["seasonal-naive", "theta", "group-season", "croston"]
SCHEME = vx.RollingOrigin(horizon=3, origins=6)
TIMES = ("seconds",)


@pytest.fixture(scope="module")
def history():
    """Regular items, items wanted now and then, one of two years, one nearly new: every route, and cut ones."""
    rng = np.random.default_rng(5)
    seldom = [monthly(np.where(rng.random(72) < 0.25, 3.0, 0.0), item=f"seldom-{k}")[f"seldom-{k}"] for k in range(6)]
    short = monthly(np.round(50 + 9 * rng.normal(size=14)), item="short", start="2022-11")["short"]
    new = monthly([3.0, 5.0, 4.0], item="new", start="2023-10")["new"]
    return vx.History.of([*portfolio(7), short, *seldom, new])


@pytest.fixture(scope="module")
def trial(history):
    return vx.backtest(history, LINEUP, SCHEME)


def bits(trial):
    """Everything but the time it took, of cut ones too."""
    return [
        getattr(one, name).tobytes()
        for whole in (trial, *trial.cuts)
        for one in whole
        for name in ARRAYS
        if name not in TIMES
    ]


@pytest.mark.parametrize("way", ["parts of one", "seven workers, parts of 64", "other order"])
def test_a_directory_holds_the_bits_that_memory_does(history, trial, way, tmp_path, monkeypatch):
    engine = {"parts of one": ProcessEngine(2, 1), "seven workers, parts of 64": ProcessEngine(7, 64)}.get(
        way, "serial"
    )
    monkeypatch.setattr("veridex.core.backtest.store.BLOCK", 3)
    given = vx.History.of(list(history)[::-1]) if way == "other order" else history
    made = vx.backtest(given, LINEUP, SCHEME, engine=engine, to=tmp_path / "trial")
    read = vx.read_trial(tmp_path / "trial")
    assert len(trial.cuts) == len(read.cuts) == 2
    assert sorted(bits(made)) == sorted(bits(read)) == sorted(bits(trial))
    assert read.notes == trial.notes and read.lineup == trial.lineup and read.history.names == given.names
    if way != "other order":
        assert read.standings().equals(trial.standings()) and read.errors.equals(trial.errors)
        with pytest.warns(UserWarning, match="loading all 15 items"):
            assert read.arrays.laws.tobytes() == trial.arrays.laws.tobytes()
    ours, theirs = vx.decide(trial), vx.decide(read)
    both = [one.winners.set_index("item").loc[list(history.names)] for one in (ours, theirs)]
    assert both[0].equals(both[1])
    kept = [one.override("short", "theta", "Ada: as last year") for one in (ours, theirs)]
    published = [vx.publish(history, one, horizon=3, groups=["all"]) for one in kept]
    assert published[0].frame.equals(published[1].frame) and published[0].totals.equals(published[1].totals)


def test_what_was_killed_is_no_trial_and_goes_on(history, trial, tmp_path):
    place, done = tmp_path / "trial", []

    def stop(count, _of):
        done.append(count)
        if count == 2:
            with pytest.raises(DestinationRefused, match="another backtest is being written there"):
                vx.backtest(history, LINEUP, SCHEME, to=place)
        if count == 5:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        vx.backtest(history, LINEUP, SCHEME, to=place, progress=stop)
    with pytest.raises(TrialUnreadable, match="was not finished") as refused:
        vx.read_trial(place)
    assert str(refused.value).count("Name a place") == 1
    part = next(place.glob("*.trials"))
    part.write_bytes(part.read_bytes()[:-100])  # the last item was cut off
    (place / ".trial.json-999999999-left.json").write_text("{")  # a head that was being written
    again = []
    made = vx.backtest(history, LINEUP, SCHEME, to=place, progress=lambda count, _: again.append(count))
    assert again == list(range(5, 16)) and bits(made) == bits(trial)
    assert not list(place.glob(".*"))
    # Another lineup takes over what it can, and a month more is gone on with.
    wider = vx.backtest(history, [*LINEUP, "mean"], SCHEME, to=place)
    plain = vx.backtest(history, [*LINEUP, "mean"], SCHEME)
    assert bits(wider) == bits(plain) == bits(vx.read_trial(place))
    longer = vx.History.of(
        [monthly([*one.actuals, 7.0], item=one.item, start=one.periods[0])[one.item] for one in history]
    )
    moved = vx.backtest(longer, LINEUP, SCHEME, to=place)
    assert bits(moved) == bits(vx.backtest(longer, LINEUP, SCHEME))
    for _ in range(4):
        vx.backtest(longer, LINEUP, SCHEME, to=place)
    assert len(list(place.glob("*.trials"))) <= 5


def test_a_trial_that_gives_way_to_another_is_named(history, tmp_path):
    source, place = tmp_path / "demand.csv", tmp_path / "trial"
    history.to_frame().to_csv(source, index=False)
    words = ["backtest", str(source), "--item", "item", "--methods", "naive", "--origins", "3", "--to", str(place)]
    first, again = (CliRunner().invoke(app, words) for _ in range(2))
    assert first.exit_code == again.exit_code == 0, again.output
    assert "in place of" not in first.stderr
    assert f"Written to {place}, in place of the trial of 15 items by 2 methods." in again.stderr.replace("\n  ", " ")


def _swapped(place, other, trial):
    """Put the parts of another trial of the same shape, which are whole in themselves, into a directory."""
    doubled = [vx.History.from_numbers(2 * one.values, cadence="monthly", start=str(one.periods[0]), item=one.item)
               for one in trial.history]  # fmt: skip
    again = vx.History.of([one for each in doubled for one in each])
    vx.write(vx.backtest(again, [one.text for one in trial.entered], trial.scheme), other)
    for own in place.glob("*.trials"):
        own.unlink()
    for own in other.glob("*.trials"):
        shutil.copy(own, place)


def test_a_trial_is_written_to_a_directory_and_what_was_changed_is_refused(trial, tmp_path):
    place = tmp_path / "trial"
    vx.write(trial, place)
    assert bits(vx.read_trial(place)) == bits(trial)
    vx.write(vx.read_trial(place), tmp_path / "trial.parquet")
    assert bits(vx.read_trial(tmp_path / "trial.parquet")) == bits(trial)
    head = json.loads((place / "trial.json").read_text())
    for change, said in (
        (lambda: (place / "trial.json").write_text(json.dumps(head | {"seal": "0"})), "its head was changed"),
        (
            lambda: shutil.copy(place / "cut-1" / "history.parquet", place / "history.parquet"),
            "is not what was written",
        ),
        (lambda: next(place.glob("*.trials")).unlink(), "its parts are not those"),
        (lambda: _swapped(place, tmp_path / "other", trial), "its parts are not those"),
    ):
        vx.write(trial, place)
        change()
        with pytest.raises(TrialUnreadable, match=said):
            list(vx.read_trial(place))
    (tmp_path / "mine").mkdir()
    (tmp_path / "mine" / "notes.txt").write_text("x")
    with pytest.raises(DestinationRefused, match=r"other files \(notes.txt\)"):
        vx.backtest(trial.history, ["naive"], SCHEME, to=tmp_path / "mine")


def test_scores_alone_are_kept_in_single_precision_there_too(history, tmp_path):
    ours, theirs = (
        vx.backtest(history, LINEUP[:2], SCHEME, keep="scores", **given) for given in ({}, {"to": tmp_path / "trial"})
    )
    read = vx.read_trial(tmp_path / "trial")
    assert bits(ours) == bits(theirs) == bits(read) and read.keeping == "scores"
    assert read["item-0"].laws.dtype == np.float32 and np.isnan(read["item-0"].std_error).all()
    assert read.scores(by=["item", "method"]).equals(ours.scores(by=["item", "method"]))
    assert read.only("item-3").errors.equals(ours.errors[ours.errors["item"] == "item-3"].reset_index(drop=True))
