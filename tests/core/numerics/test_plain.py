"""Kernels of plain folds against the formulas written out with arrays; NaN anywhere but at the first value."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from veridex.core.laws.components import NUMBERS, Kind, put, put_direct
from veridex.core.numerics import plain
from veridex.core.numerics.seasons.deseasonalise import fixed_season, put_back, taken_out
from veridex.core.numerics.seasons.profile import season_test

HORIZON = 7
VALUES = st.floats(0.5, 200.0)


@st.composite
def demand(draw, least=4, most=40):
    """Demand with unknown periods, the first one known."""
    rest = draw(st.lists(st.one_of(VALUES, st.just(np.nan)), min_size=least, max_size=most))
    return np.array([draw(VALUES), *rest])


def ahead(kernel, y, row):
    fitted, points, std_error = np.empty(y.size), np.empty(HORIZON), np.empty(HORIZON)
    kernel(y, row, fitted, points, std_error)
    return fitted, points, std_error


def last_known(y):
    return np.maximum.accumulate(np.where(np.isnan(y), 0, np.arange(y.size)))


def likelihood(variance, used):
    return -0.5 * used * (np.log(2 * np.pi * variance) + 1) if variance > 0 else np.nan


@given(demand())
def test_means_and_walks_are_those_of_arrays(y):
    at = np.flatnonzero(~np.isnan(y))
    known, steps, last = y[at], np.diff(at), last_known(y)
    assert plain.told(y) == (known.size, known.min(), known.max())
    row, stats = np.empty(3), np.empty(4)
    assert plain.estimate_mean(y, row, stats) == (known.size > 1)
    if known.size > 1:
        assert row == pytest.approx([known.mean(), known.var(ddof=1), known.size], abs=1e-9)
        assert stats[:3] == pytest.approx([likelihood(known.var(), known.size), known.size, 2], nan_ok=True, rel=1e-6)
    assert plain.estimate_naive(y, row, stats) == (known.size > 1)
    if known.size > 1:
        assert row[0] == pytest.approx((np.diff(known) ** 2 / steps).mean())
        fitted, points, std_error = ahead(plain.naive_ahead, y, row)
        gap = y.size - 1 - at[-1]
        assert np.array_equal(fitted[1:], y[last[:-1]]) and np.isnan(fitted[0]) and (points == known[-1]).all()
        assert std_error == pytest.approx(np.sqrt(row[0] * np.arange(gap + 1, gap + HORIZON + 1)))
    assert plain.estimate_drift(y, row, stats) == (known.size > 2)
    if known.size > 2:
        drift = (known[-1] - known[0]) / (at[-1] - at[0])
        total = ((np.diff(known) - drift * steps) ** 2 / steps).sum()
        assert row == pytest.approx([drift, total / (steps.size - 1), at[-1] - at[0]], abs=1e-9)
        fitted, points, std_error = ahead(plain.drift_ahead, y, row)
        reach = np.arange(gap + 1, gap + HORIZON + 1)
        assert fitted[1:] == pytest.approx(y[last[:-1]] + row[0] * (np.arange(1, y.size) - last[:-1]))
        assert points == pytest.approx(known[-1] + row[0] * reach)
        assert std_error == pytest.approx(np.sqrt(row[1] * reach * (1 + reach / row[2])))


@given(demand(least=9), st.integers(2, 4))
def test_a_season_is_repeated_as_it_was_last_seen(y, season):
    row, stats = np.empty(2), np.empty(4)
    changes = y[season:] - y[:-season]
    changes = changes[~np.isnan(changes)]
    seen = [[t for t in range(y.size - season + k, -1, -season) if not np.isnan(y[t])] for k in range(season)]
    possible = changes.size > 0 and all(seen)
    assert plain.estimate_seasonal_naive(y, season, row, stats) == possible
    if possible:
        assert row == pytest.approx([(changes**2).mean(), season])
        fitted, points, std_error = ahead(plain.seasonal_naive_ahead, y, row)
        assert np.array_equal(fitted[season:], y[:-season], equal_nan=True) and np.isnan(fitted[:season]).all()
        at = np.array([seen[h % season][0] for h in range(HORIZON)])
        assert np.array_equal(points, y[at])
        assert std_error == pytest.approx(np.sqrt(row[0] * ((y.size + np.arange(HORIZON) - at) // season)))


@given(demand(least=11), st.booleans())
def test_a_season_is_taken_out_and_put_back(y, ratio):
    season = np.empty(4)
    fixed_season(y, ratio, season)
    if not np.isfinite(season).all() or (ratio and season.min() <= 0):
        return
    assert (season.mean() if ratio else 1 + season.sum()) == pytest.approx(1.0, abs=1e-6)
    left = np.empty(y.size)
    logs = taken_out(y, season, ratio, left)
    phases = np.arange(y.size) % 4
    assert left == pytest.approx(y / season[phases] if ratio else y - season[phases], nan_ok=True)
    assert logs == pytest.approx(np.log(season[phases[~np.isnan(y)]]).sum() if ratio else 0.0, abs=1e-9)
    points, std_error = np.full(6, 2.0), np.full(6, 3.0)
    later = season[np.arange(y.size, y.size + 6) % 4]
    put_back(season, ratio, left, points, std_error)
    assert left == pytest.approx(y, nan_ok=True)
    assert points == pytest.approx(2.0 * later if ratio else 2.0 + later)
    assert std_error == pytest.approx(3.0 * later if ratio else np.full(6, 3.0))


@pytest.mark.parametrize(
    ("points", "spread", "y", "floor", "said", "raised"),
    [
        ([-1.0, 2.0], [1.0, 1.0], [0.0, 3.0], np.nan, True, [0.0, 2.0]),  # demand never was below zero
        ([-1.0, 2.0], [1.0, 1.0], [-2.0, 3.0], np.nan, True, [-1.0, 2.0]),
        ([-1.0, 2.0], [1.0, 1.0], [-2.0, 3.0], 1.5, True, [1.5, 2.0]),
        ([-1.0, 2.0], [1.0, 1.0], [0.0, np.nan], -np.inf, True, [-1.0, 2.0]),
        ([np.inf, 2.0], [1.0, 1.0], [0.0, 3.0], np.nan, False, [np.inf, 2.0]),
        ([1.0, 2.0], [1.0, np.nan], [0.0, 3.0], np.nan, False, [1.0, 2.0]),
    ],
)
def test_the_gate_lifts_to_the_floor_and_lets_nothing_infinite_through(points, spread, y, floor, said, raised):
    points = np.array(points)
    assert plain.closed(points, np.array(spread), np.array(y), floor) == said and points.tolist() == raised


def test_laws_are_put_as_they_were_one_by_one():
    centre, scale = np.arange(3.0), np.arange(1.0, 4.0)
    for kind, degrees in ((Kind.NORMAL, np.nan), (Kind.STUDENT, 5.0)):
        one, other = (np.full((3, 2, NUMBERS), np.nan) for _ in range(2))
        put(one, kind, centre, 1.5 * scale, *([] if kind == Kind.NORMAL else [degrees]))
        put_direct(other, centre, scale, 1.5, degrees)
        assert np.array_equal(one, other, equal_nan=True)


def test_a_season_test_without_seasons_or_noise():
    assert np.isnan(season_test(np.arange(5.0), 4)).all()
    steady = np.tile([1.0, 2.0, 3.0, 4.0], 4)
    assert season_test(steady, 4)[1] == 0.0 and season_test(np.full(16, 2.0), 4) == (0.0, 1.0)
