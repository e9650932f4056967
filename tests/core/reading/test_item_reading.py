"""One reading of an item, by everybody who asks."""

import numpy as np
import pytest
from tests.conftest import monthly, seasonal_values

import veridex as vx
from veridex import figures
from veridex.core.numerics.seasons.profile import shows_season
from veridex.core.reading.expectation import expect
from veridex.core.reading.item_reading import Readings
from veridex.core.reading.life import alive, fading
from veridex.core.tidying.page import page
from veridex.core.tidying.profile import profile_items


def mixed():
    """Items of every kind on one calendar: the last months of some are cut, one has just begun, one is gone."""
    rng = np.random.default_rng(5)
    season = 1 + 0.5 * np.sin(2 * np.pi * np.arange(72) / 12)
    whole = {f"item-{i}": np.rint(200 * season * rng.lognormal(0, 0.1, 72)) for i in range(8)}
    whole["bearing"] = rng.poisson(0.4, 72).astype(float)
    whole["refund"] = 100 * season + rng.normal(0, 10, 72)
    whole["refund"][5] = -3.5
    whole["plain"] = 100 + rng.normal(0, 5, 72)
    whole["gone"] = np.where(np.arange(72) < 50, whole["item-0"], 0.0)
    whole["young"] = whole["item-1"][-9:]
    return vx.History.of(
        [
            monthly(values, start=str(np.datetime64("2018-01") + 72 - len(values)), item=item)[item]
            for item, values in whole.items()
        ]
    )


KINDS = {
    "item-3": (
        "regular",
        "own",
        "whole numbers from 0 on, 72 months known, a season of 12 that it shows",
    ),
    "bearing": ("intermittent", "none", "intermittent demand in whole numbers from 0 on"),
    "refund": ("regular", "own", "smooth demand in any numbers, 72"),
    "plain": ("regular", "none", "smooth demand in any numbers from 0 on, 72 months known, no season"),
    "gone": ("retired", "own", "retired: nothing was sold since 2022-02"),
    "young": ("new", "neighbours", "new: 9 months known, a season of 12 that its neighbours show"),
}


def test_an_item_is_read_once_and_everybody_says_the_same():
    history = mixed()
    read, profiles = Readings(history), {one.series.item: one for one in profile_items(history)}
    trial = vx.backtest(
        history, ["seasonal-naive", "naive", "simple-smoothing", "sba", "mean"], vx.RollingOrigin(horizon=3, origins=4)
    )
    winners = vx.decide(trial).winners.set_index("item")
    published = vx.publish(history, vx.decide(trial), horizon=3)
    for item, (kind, season, said) in KINDS.items():
        one = read[item]
        assert (one.kind, one.season) == (kind, season) and said in one.in_words(), one.in_words()
        assert trial.readings[item] == one == profiles[item].reading
        assert winners.loc[item, "route"] == kind
        assert f"It is taken for {one.in_words()}." in page(profiles[item])
        assert published[item].why.endswith(f"It is taken for {one.in_words()}.")
        assert one.life in figures.history(profiles[item]).axes[0].get_title(loc="left")
    table = vx.profile(history).set_index("item")
    assert {item: kind for item, (_, kind, _) in KINDS.items()} == table.loc[list(KINDS), "season"].to_dict()


def test_a_dying_item_is_called_so_and_a_seasonal_or_lumpy_one_is_not():
    rng = np.random.default_rng(0)
    level = np.concatenate((np.full(60, 80.0), 80 * np.exp(-np.arange(24) / 8)))
    dying = monthly(rng.poisson(level).astype(float), item="veil-round")
    one = Readings(dying)["veil-round"]
    share = 100 * dying["veil-round"].values[-12:].sum() / dying["veil-round"].values[-24:-12].sum()
    assert one.life == f"dying: the last 12 months sold {share:.0f} % of those before" and one.life in one.in_words()
    assert figures.history(dying).axes[0].get_title(loc="left").startswith(f"veil-round: {one.life}")
    assert one.kind == "regular"  # it is still forecast like any other
    lumpy = [rng.negative_binomial(1, 0.25, 60).astype(float) for _ in range(200)]
    assert not any(fading(values, 12)[0] for values in (*lumpy, seasonal_values(1), seasonal_values(2)[:30]))


def test_an_unfinished_end_is_said_where_it_is_published():
    values = {f"item-{i}": seasonal_values(i) for i in range(4)}
    for own in values.values():
        own[-1] *= 0.2
    history = vx.History.of([monthly(own, item=item)[item] for item, own in values.items()])
    assert all(one.end == "the last month is not over" for one in Readings(history).values())
    said = vx.publish(history, method="holt-winters", horizon=2)
    assert {caution.what for one in history for caution in said[one.item].cautions} >= {"unfinished"}
    tidied = vx.publish(vx.tidy(history).history, method="naive", horizon=2)
    assert not any(caution.what == "unfinished" for item in values for caution in tidied[item].cautions)


def test_life_of_an_item():
    assert alive(np.array([0, 0, 3.0, 0, 4]), 1) == (slice(2, 5), False)
    gone = np.array([5.0, 6, 0, 5, *[0] * 12])
    assert alive(gone, 12) == (slice(0, 4), True) and alive(gone[:-1], 12) == (slice(0, 15), False)
    sparse = np.tile([3.0, 0, 0, 0, 0], 6)
    assert not alive(np.concatenate((sparse, np.zeros(7))), 1)[1] and alive(np.concatenate((sparse, np.zeros(9))), 1)[1]


def test_methods_and_page_read_a_season_alike():
    young = monthly(seasonal_values(3)[:28])
    assert "a season shows, over too few years" in page(profile_items(young)[0])
    for text in ("theta", "smoothing"):
        assert np.ptp(vx.fit(young, text).forecast(12).points) > 20, text
    rng = np.random.default_rng(0)
    shown = [shows_season(100 + 10 * rng.normal(size=36), 12) for _ in range(400)]
    walks = [shows_season(100 + rng.normal(size=48).cumsum(), 12) for _ in range(400)]
    assert np.mean(shown) < 0.03 and np.mean(walks) < 0.1
    assert not shows_season(np.arange(23.0), 12) and not shows_season(np.arange(40.0), 1)


@pytest.mark.parametrize(
    ("values", "shifts", "outlying", "most"),
    [
        (np.where(np.arange(15) >= 7, 120.0, 100.0), 1, 0, 200),  # nothing is left but rounding
        (np.where(np.arange(30) >= 14, 1.205, 1.0), 1, 0, 2000),  # to a thousandth
        (np.rint(5 + 0.4 * np.random.default_rng(3).normal(size=30)), 0, 0, 0),  # one more or less is rounding
        (np.where(np.arange(30) == 11, 9.0, 5.0), 0, 1, 0),
    ],
)
def test_nothing_is_told_beyond_what_values_are_rounded_to(values, shifts, outlying, most):
    found = expect(values, 1)
    assert len(found.shifts) == shifts and int(found.outlying.sum()) == outlying
    assert all(shift.ratio < most for shift in found.shifts)


def test_short_series_without_a_shift_seldom_show_one():
    rng = np.random.default_rng(8)
    for size in (15, 20, 30):
        drawn = [expect(100 + 10 * rng.normal(size=size), 1) for _ in range(300)]
        assert np.mean([bool(one.shifts) for one in drawn]) < 0.05
        assert max((shift.ratio for one in drawn for shift in one.shifts), default=0.0) < 30


def test_what_was_never_sold_and_what_a_retired_item_was():
    never = vx.History.from_numbers([0.0] * 20, cadence="counted", item="never")
    assert Readings(never)["never"].in_words() == "never sold, 20 periods known"
    seldom = np.concatenate((np.tile([0.0, 0, 0, 4], 10), np.zeros(40)))
    gone = Readings(vx.History.from_numbers(seldom, cadence="counted", item="gone"))["gone"]
    assert (gone.kind, gone.sold_as) == ("retired", "intermittent") and "nothing was sold since 40" in gone.in_words()
