"""Borrowed seasons: what neighbours show, how far an item follows, and that nobody looks beyond an origin."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import veridex as vx
from conftest import monthly
from veridex.core.backtest.lineup import default_lineup
from veridex.core.reading.neighbours import FOUND, ends_of, lent_now, seasons_at
from veridex.core.verdict.completed import Completed
from veridex.core.verdict.group_sums import GroupSum, GroupSums

SCHEME = vx.RollingOrigin(horizon=6, origins=4)
WAVE = 1 + 0.4 * np.sin(2 * np.pi * np.arange(120) / 12)


def family(items=8, n=30, noise=0.1, wave=WAVE, seed=0):
    """Items that end together and share a season, each on a level of its own."""
    rng = np.random.default_rng(seed)
    rows = []
    for i in range(items):
        level = rng.uniform(50, 500)
        rows.append(monthly(level * wave[:n] * (1 + noise * rng.normal(size=n)), item=f"i{i}")[f"i{i}"])
    return vx.History.of(rows)


def test_the_season_that_all_share_is_found_and_what_only_noise_shows_is_not():
    history = family()
    lent = lent_now(history, (FOUND,))
    truth = WAVE[30 + np.arange(12)] / WAVE[:12].mean()
    assert np.abs(np.array([one[FOUND][0] for one in lent.values()]) - truth).max() < 0.1
    assert seasons_at(history, FOUND, ends_of(history)).clear.min() > 1
    noise = family(40, 36, 0.2, np.ones(120))
    found = seasons_at(noise, FOUND, ends_of(noise))
    assert np.mean(found.both[:, 0].std(axis=1)) < 0.04  # their own profiles swing by 0.12
    assert np.mean(found.clear > 1) < 0.1


def test_an_item_of_a_season_and_a_half_gets_its_forecast_from_the_others():
    history, rng = family(), np.random.default_rng(9)
    young = monthly(200 * WAVE[12:30] * (1 + 0.1 * rng.normal(size=18)), item="young", start="2019-01")["young"]
    both = vx.History.of([*history, young])
    fitted = vx.fit(young, "group-season", among=both)
    points, truth = fitted.forecast(12).points, 200 * WAVE[30:42]
    assert np.abs(points / truth - 1).mean() < 0.1
    flat = vx.fit(young, "simple-smoothing").forecast(12).points
    assert np.abs(points - truth).mean() < 0.5 * np.abs(flat - truth).mean()
    assert "season of its neighbours, from " in fitted.in_words() and "season[n+h]" in fitted.equation()
    assert vx.fit(young, "group-season").reason.startswith("no neighbours lend a season")
    again = fitted.apply(young.continued(monthly([150.0, 160.0], item="young", start="2020-07")["young"]))
    assert again.available and again.row.tolist() == fitted.row.tolist()


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 2**32), st.sampled_from(["group-season", "group-season group=family", "default"]))
def test_nothing_after_an_origin_changes_a_forecast_made_at_it(seed, text):
    """Of the item itself and of its neighbours: bit for bit."""
    rng = np.random.default_rng(seed)
    values = {f"i{i}": rng.gamma(4.0, 20.0, 34) * WAVE[:34] for i in range(5)}
    late = {item: np.concatenate((own[:26], rng.gamma(2.0, 90.0, 8))) for item, own in values.items()}
    trials = [vx.backtest(tables(one), None if text == "default" else [text], SCHEME) for one in (values, late)]
    for item in trials[0].history.names:
        one, other = (trial[item] for trial in trials)
        early = one.origins < one.origins[0] + 26 - 25  # the first origin knows 25 months
        assert early.any() and np.array_equal(one.points[:, early], other.points[:, early], equal_nan=True)
        assert np.array_equal(one.laws[:, early], other.laws[:, early], equal_nan=True)
        assert np.array_equal(one.clarity[early], other.clarity[early])


def tables(values):
    """A history with a key column."""

    rows = [
        pd.DataFrame(
            {
                "item": item,
                "family": f"f{int(item[1:]) % 2}",
                "month": pd.date_range("2020-01", periods=len(own), freq="MS"),
                "units": own,
            }
        )
        for item, own in values.items()
    ]
    words = {"item": ["item", "family"], "period": "month", "demand": "units", "cadence": "monthly"}
    return vx.History.from_frame(pd.concat(rows), absent="unknown", **words)


def test_long_items_are_cut_to_the_length_of_short_ones_and_tell_which_methods_win(tmp_path):
    rng = np.random.default_rng(3)
    young = [
        monthly(80 * WAVE[42:60] * (1 + 0.1 * rng.normal(size=18)), item=f"young-{i}", start="2021-07")[f"young-{i}"]
        for i in range(3)
    ]
    history = vx.History.of([*family(9, 60), *young])
    lineup = ["seasonal-naive", "theta", "simple-smoothing", "drift", "group-season"]
    trial = vx.backtest(history, lineup, vx.RollingOrigin(horizon=12, origins=12))
    (cut,) = trial.cuts
    assert trial.notes[-1] == "9 long items were tested on 18 periods too, as many as short ones have."
    assert cut.scheme.window == 18 and len(cut.history) == 9 and {len(one) for one in cut.history} == {38}
    verdict = vx.decide(trial)
    assert shares_of(verdict, "young-0")["group-season"] > 0.5  # which no origin of its own could test
    why = verdict.why("young-0")
    assert "its season is plain to see" in why and "no origin of its own could test it" in why
    assert np.isnan(verdict.winners.set_index("item").loc["young-0", "error"])
    back = vx.read_trial(vx.write(trial, tmp_path / "trial.parquet"))
    assert vx.decide(back).winners.equals(verdict.winners)
    alone = vx.decide(vx.backtest(vx.History.of(young), lineup, vx.RollingOrigin(horizon=12, origins=12)))
    assert "a season that no test could include" in alone.why("young-0")
    assert {"group-season", "seasonal-naive"} <= {one.name for one in alone.choice("young-0").winner.method.members}


def shares_of(verdict, item):
    """The weights of what is published, by method; of one alone all."""
    made = verdict.choice(item).winner.method
    return dict(zip([one.text for one in made.members], made.weights, strict=True)) if made.members else {made.text: 1}


def test_the_sum_of_items_wanted_now_and_then_shows_the_season_that_they_do_not():
    rng = np.random.default_rng(2)
    mean = 0.8 * np.exp(0.7 * np.sin(2 * np.pi * np.arange(84) / 12))
    rows = {f"part-{i}": rng.poisson(mean * rng.uniform(0.5, 1.2)).astype(float) for i in range(12)}
    history = vx.History.of([monthly(own[:72], item=item)[item] for item, own in rows.items()])
    lineup = ["sba", "tsb", "simple-smoothing", "mean", "group-season"]
    verdict = vx.decide(vx.backtest(history, lineup, vx.RollingOrigin(horizon=6, origins=18)))
    seldom = verdict.winners.query("route == 'intermittent'")["item"].tolist()
    assert len(seldom) > 6
    for item in seldom[:3]:
        assert shares_of(verdict, item)["group-season"] > 0.5
        assert f"the sum of its {len(seldom)} like it shows counts too" in verdict.why(item)
    total = sum(vx.publish(history, verdict, horizon=12)[item].outlook.points for item in seldom)
    came = sum(rows[item][72:] for item in seldom)
    flat = sum(vx.fit(history[item], "sba").forecast(12).points for item in seldom)
    assert np.abs(total - came).mean() < 0.8 * np.abs(flat - came).mean()


def test_families_of_items_wanted_now_and_then_borrow_the_season_of_their_family():
    rng, rows = np.random.default_rng(4), {}
    for i in range(20):
        turn = np.cos(2 * np.pi * (np.arange(84) - (3 if i % 2 else 9)) / 12)
        rows[f"i{i}"] = rng.poisson(0.7 * np.exp(0.9 * turn) * rng.uniform(0.5, 1.0)).astype(float)
    history = tables({item: own[:72] for item, own in rows.items()})
    places = {place.method.text: place.reason for place in default_lineup(history)}
    assert "family shows of items wanted now and then" in places["group-season group=family"]
    lineup = ["sba", "simple-smoothing", "mean", "group-season", "group-season group=family"]
    verdict = vx.decide(vx.backtest(history, lineup, vx.RollingOrigin(horizon=6, origins=18)))
    published = vx.publish(history, verdict, horizon=12)
    for family in ("f0", "f1"):
        items = [item for item in history.names if history.keys[item][1] == family]
        shares = [shares_of(verdict, item) for item in items]
        assert sum(own.get("group-season group=family", 0.0) > 0.5 for own in shares) > 0.7 * len(items)
        assert not any("group-season" in own for own in shares)
        past, after = (sum(rows[history.keys[item][0]][part] for item in items) for part in (slice(72), slice(72, 84)))
        alone = vx.fit(monthly(past), "theta").forecast(12).points
        total = sum(published[item].outlook.points for item in items)
        assert np.abs(total - after).mean() < 1.1 * np.abs(alone - after).mean()  # as good as their sum by itself


def test_what_sums_show_is_drawn_to_nought_by_how_little_is_known():
    def one(means, items):
        losses = np.repeat(np.array(means)[:, None, None], 4, axis=1)
        return GroupSum(Completed.of(losses, np.ones((4, 1), dtype=bool), np.arange(10, 14)), 1.0, items)

    sums = GroupSums({"a": one([1.0, np.e], 6), "b": one([1.0, 1.0], 2)}, {"x": "a", "y": "b"})
    # Two origins were known by then: 12 and 4 windows of items, the mean over sums 12 / 16 of what the first shows.
    first, shared = np.array([-0.5, 0.5]), 0.75 * np.array([-0.5, 0.5])
    expected = 16 / 88 * shared + 12 / 84 * (first - shared)
    assert sums.logs("x", [0, 1], np.array([12]))[0] == pytest.approx(expected)
    assert sums.logs("y", [0, 1], np.array([12]))[0] == pytest.approx(16 / 88 * shared + 4 / 76 * (0 - shared))
    assert not sums.logs("x", [0, 1], np.array([10])).any() and not sums.logs("z", [0, 1], np.array([14])).any()


def test_what_is_taken_over_is_read_among_the_new_neighbours():
    whole = family(8)
    some = vx.backtest(vx.History.of([whole[f"i{k}"] for k in range(3)]), ["theta", "group-season"], SCHEME)
    grown, fresh = (vx.backtest(whole, ["theta", "group-season"], SCHEME, onto=onto) for onto in (some, None))
    assert not np.array_equal(some["i0"].clarity, fresh["i0"].clarity)
    for name in ("clarity", "points", "laws"):
        assert np.array_equal(getattr(grown.arrays, name), getattr(fresh.arrays, name), equal_nan=True), name


@pytest.mark.parametrize(
    ("text", "said"),
    [("group-season transform=log", "shares of a level"), ("group-season group=colour", "group by a key column")],
)
def test_what_cannot_be_borrowed_is_refused(text, said):
    with pytest.raises(vx.VeridexError, match=said):
        vx.backtest(family(3), [text], SCHEME)
