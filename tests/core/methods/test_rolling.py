"""All folds of an item in one call: what one fold after the other gives, to the bit."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import f_oneway

import veridex as vx
from veridex.core.methods.arima.judging import flags_of
from veridex.core.methods.catalogue import method
from veridex.core.methods.fold.family import Family
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.plan import Sizes
from veridex.core.methods.fold.running import roll_unguarded
from veridex.core.methods.fold.status import Status
from veridex.core.numerics.arima.models import Orders
from veridex.core.numerics.seasons.profile import season_test, season_tests, shows_season

METHODS = (
    *("mean", "naive", "drift", "seasonal-naive", "theta", "theta optimised=yes", "theta season=multiplicative"),
    *("croston", "sba", "tsb alpha=0.1", "simple-smoothing", "holt error=multiplicative", "holt-winters damped=yes"),
    *("smoothing", "smoothing average=yes", "holt intervals=simulated", "arima", "arima max_candidates=3"),
    *("arima p=1 d=1 q=1", "arima lags=[1, 12] d=1", "arima season=dummies", "linear-trend", "trend-season"),
    *("poly-trend degree=3", "harmonic", "trend-season intercept=none", "group-season", "moving-average"),
)


def demand(kind):
    """Five years of months: with gaps, none at the end, now and then, below zero, twice as much later."""
    rng, t = np.random.default_rng(7), np.arange(60)
    y = 100 + 0.4 * t + 20 * np.sin(2 * np.pi * t / 12) + rng.normal(0, 5, 60)
    if kind == "gaps":
        y[[9, 20, 21, 38]] = np.nan
    elif kind == "unknown end":
        y[-3:] = np.nan
    elif kind == "now and then":
        y = np.where(rng.random(60) < 0.3, rng.integers(1, 9, 60), 0.0)
    elif kind == "below zero":
        y -= 110
    elif kind == "shifted":
        y[40:] *= 2
    return y


def over(plan, spans, anew):
    ends = np.cumsum([0, *(span.size for span in spans)])
    return Folds.over(plan, np.concatenate(spans), ends, np.array(anew))


@pytest.mark.parametrize("kind", ["plain", "gaps", "unknown end", "now and then", "below zero", "shifted"])
@pytest.mark.parametrize("text", METHODS)
def test_folds_in_one_call_are_those_one_by_one(text, kind):
    one, y = method(text), demand(kind)
    stops = (0, 1, 5, 26, 27, 40, 57, 60)
    lent = np.random.default_rng(1).uniform(0.8, 1.2, (len(stops), 2, 12)) if one.borrows else None
    anew = [False, False, False, True, False, False, True, False]

    def plan_at(o):
        borrowed = None if lent is None else {"": lent[o]}
        return one.family.plan(one.settings, Sizes(12, 6, borrowed=borrowed))

    plan = plan_at(slice(None))
    folds, warm = over(plan, [y[:stop] for stop in stops], anew), np.zeros(plan.warm_size)
    with np.errstate(all="ignore"):
        roll_unguarded(one.family, plan, folds, None, warm)
        memory = np.zeros(plan.warm_size)
        for o, stop in enumerate(stops):
            own = plan_at(o)
            alone = over(own, [y[:stop]], [anew[o]])
            # The way of a family that has no such kernel: each fold is a run of its own.
            roll_unguarded(_Stepwise(one.family), own, alone, None, memory)
            assert folds.status[o] == alone.status[0]
            for found, wanted in zip(_arrays(folds.at(o)), _arrays(alone.at(0)), strict=True):
                assert np.array_equal(found, wanted, equal_nan=True)
    assert np.array_equal(warm, memory, equal_nan=True)
    assert folds.status[0] == Status.TOO_SHORT
    able = kind == "plain" or text in ("mean", "naive", "drift")
    assert not able or text == "theta season=multiplicative" or folds.status[-1] <= Status.DONE


class _Stepwise:
    """A family whose folds are run one by one."""

    def __init__(self, family):
        self._family = family

    def roll(self, plan, folds, xs, warm):
        Family.roll(self._family, plan, folds, xs, warm)


def _arrays(rows):
    return rows.points, rows.std_error, rows.law, rows.row, rows.fitted, rows.stats


coefficients = st.lists(st.floats(-1.5, 1.5), min_size=1, max_size=5)


@settings(max_examples=300, deadline=None)
@given(coefficients, coefficients)
def test_factors_that_nearly_cancel_are_those_whose_zeros_are_near(phi, theta):
    zeros = [np.roots([1.0, *tail]) for tail in (-np.array(phi), np.array(theta))]
    nearest = np.abs(zeros[0][:, None] - zeros[1][None, :]).min()
    found = flags_of(Orders(len(phi), 0, len(theta), 0, 0, 0, 1, 0), np.array([*phi, *theta]))
    if abs(nearest - 0.05) > 1e-4:  # at the bound rounding decides, above all where zeros are double
        assert ("factors nearly cancel" in found) == (nearest < 0.05)


ALONE = [text for text in METHODS if text not in ("group-season", "theta season=multiplicative")]


def test_the_first_fold_of_a_backtest_is_a_fit_on_what_was_known(monthly_history):
    trial = vx.backtest(monthly_history, ALONE, vx.RollingOrigin(horizon=4, origins=3))
    for series in monthly_history:
        one = trial[series.item]
        known = series.first(int(one.origins[0]) + 1 - series.start)
        for text in ALONE:
            m, fitted = trial.method_index(text), vx.fit(known, text)
            assert fitted.status == one.status[m, 0]
            if fitted.available:
                forecast = fitted.forecast(4)
                assert np.array_equal(one.points[m, 0], forecast.points)
                assert one.parameters[m, 0] == fitted.parameters


@pytest.fixture(scope="module")
def monthly_history():
    rows = [
        {"item": kind, "month": str(period), "demand": value}
        for kind in ("plain", "now and then", "shifted", "gaps")
        for period, value in zip(pd.period_range("2019-01", periods=60, freq="M"), demand(kind), strict=True)
        if not np.isnan(value)
    ]
    return vx.History.from_frame(pd.DataFrame(rows), item="item", period="month", demand="demand")


@pytest.mark.parametrize("kind", ["plain", "gaps", "now and then", "below zero"])
def test_seasons_are_told_of_several_spans_as_of_each_and_by_the_plain_formula(kind):
    y = demand(kind)
    spans = [y[:stop] for stop in (0, 13, 24, 40, 60)]
    ratio, chance = season_tests(np.concatenate(spans), np.cumsum([0, *(one.size for one in spans)]), 12)
    for span, found, p in zip(spans, ratio, chance, strict=True):
        assert np.array_equal((found, p), season_test(span, 12), equal_nan=True)
    assert np.isnan(ratio[:2]).all() and shows_season(y, 12) == (kind in ("plain", "gaps", "below zero"))
    # Against the level by hand: one-way analysis of variance by the period of the season.
    season_off = _off_level(y)
    groups = [own[~np.isnan(own)] for own in (season_off[j::12] for j in range(12))]
    wanted = f_oneway(*groups)
    assert ratio[-1] == pytest.approx(wanted.statistic, rel=1e-9) and chance[-1] == pytest.approx(wanted.pvalue)


def _off_level(y):
    """What is left of demand without the mean of a season around each period, along the slope of the last two."""
    n, lately = y.size, range(max(12, y.size - 24), y.size)
    changes = [(y[t] - y[t - 12]) / 12 for t in lately if not np.isnan(y[t] - y[t - 12])]
    slope = sum(changes) / (len(changes) + 6) if changes else 0.0
    left = np.full(n, np.nan)
    for t in np.flatnonzero(~np.isnan(y)):
        low = max(min(t - 6, n - 12), 0)
        around = np.arange(low, min(low + 12, n))
        around = around[~np.isnan(y[around])]
        left[t] = y[t] - (y[around].mean() + slope * (t - around.mean()))
    return left
