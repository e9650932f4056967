"""Robust kernels against plain computations, compiled and as Python."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from veridex.core.numerics.robust import pieces as robust
from veridex.core.numerics.robust import steps
from veridex.core.reading.expectation import expect

VALUES = st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=40).map(np.array)


def both(kernel):
    """A kernel, compiled and as plain Python."""
    return pytest.mark.parametrize("run", [kernel, kernel.py_func], ids=["compiled", "plain"])


@given(VALUES)
def test_medians(values):
    for run in (robust.median, robust.median.py_func):
        assert run(values.copy(), values.size) == np.median(values)
    assert np.isnan(robust.median(values.copy(), 0))


@both(robust.running_median)
def test_running_medians_look_at_the_nearest_full_window(run):
    rng = np.random.default_rng(0)
    values = rng.normal(size=30)
    values[[3, 4, 29]] = np.nan
    out = np.empty(30)
    run(values, 4, out, np.empty(31))
    for t in range(30):
        centre = min(max(t, 4), 25)
        assert out[t] == np.nanmedian(values[centre - 4 : centre + 5])


@both(robust.robust_scale)
def test_the_scale_is_the_normal_standard_deviation(run):
    rng = np.random.default_rng(1)
    sample = rng.normal(scale=3, size=20_001)
    work = np.empty(sample.size)
    assert run(sample, np.ones(sample.size), work) == pytest.approx(1.482602 * np.median(np.abs(sample)), rel=1e-6)
    assert run(sample, np.ones(sample.size), work) == pytest.approx(3, rel=0.02)  # two standard errors
    mostly_zero = np.array([0.0] * 80 + [2.0] * 20)
    assert run(mostly_zero, np.ones(100), np.empty(100)) == pytest.approx(2 * 1.482602, rel=1e-6)
    assert run(np.array([0.0] * 99 + [5.0]), np.ones(100), np.empty(100)) == 0
    assert np.isnan(run(np.full(3, np.nan), np.ones(3), np.empty(3)))


@both(robust.local_lines)
def test_local_lines_are_weighted_regressions(run):
    rng = np.random.default_rng(2)
    y, weights = rng.normal(size=25).cumsum(), rng.uniform(0.1, 1, size=25)
    y[7] = np.nan
    out = np.empty(25)
    run(y, weights, 9, out)
    for t in range(25):
        first = min(max(t - 4, 0), 16)
        inside = np.array([i for i in range(first, first + 9) if i != 7])
        reach = max(t - first, first + 8 - t) + 1
        w = weights[inside] * (1 - (np.abs(inside - t) / reach) ** 3) ** 3
        line = np.polyfit(inside - t, y[inside], 1, w=np.sqrt(w))
        assert out[t] == pytest.approx(line[1])


@both(steps.find_steps)
def test_the_first_step_is_the_best_of_all_regressions(run):
    """A regression by NumPy for every place a step could be, on a straight line."""
    rng = np.random.default_rng(3)
    n, t = 80, np.arange(80.0)
    y = 50 + 0.1 * t + 6.0 * (t >= 33) + rng.normal(size=n)
    places, sizes, ratios = np.zeros(4, dtype=np.int64), np.zeros(4), np.zeros(4)
    assert run(y, 6, 4.5, 0.0, 4, places, sizes, ratios) == 1
    fits = {}
    for at in range(6, n - 5):
        design = np.column_stack((np.ones(n), t, t >= at))
        solution, rest, *_ = np.linalg.lstsq(design, y, rcond=None)
        fits[at] = (float(rest[0]), solution[2], design)
    best = min(fits, key=lambda at: fits[at][0])
    rest, size, design = fits[best]
    residuals = y - design @ np.linalg.lstsq(design, y, rcond=None)[0]
    carry = max(residuals[1:] @ residuals[:-1] / (residuals @ residuals), 0)
    error = np.sqrt(rest / (n - 3) * np.linalg.inv(design.T @ design)[2, 2] * (1 + carry) / (1 - carry))
    assert (places[0], sizes[0], ratios[0]) == (best, pytest.approx(size), pytest.approx(abs(size) / error))


@both(steps.find_steps)
def test_two_steps_are_estimated_together(run):
    rng = np.random.default_rng(5)
    t = np.arange(120.0)
    y = 20 + 5 * (t >= 40) - 9 * (t >= 85) + 0.5 * rng.normal(size=120)
    y[60] = np.nan
    places, sizes, ratios = np.zeros(4, dtype=np.int64), np.zeros(4), np.zeros(4)
    assert run(y, 6, 4.5, 0.0, 4, places, sizes, ratios) == 2
    assert sorted(places[:2].tolist()) == [40, 85]
    known = ~np.isnan(y)
    design = np.column_stack((np.ones(120), t, t >= 40, t >= 85))[known]
    together = np.linalg.lstsq(design, y[known], rcond=None)[0][2:]
    assert sizes[np.argsort(places[:2])] == pytest.approx(together)


@both(steps.find_spread_change)
def test_changes_of_spread(run):
    """The statistic by its definition: Sanso, Arago and Carrion (2004), equation for kappa-1."""
    rng = np.random.default_rng(6)
    r = np.concatenate((rng.normal(size=50), 3 * rng.normal(size=50)))
    place, statistic, ratio = run(r, 12)
    sums = np.cumsum(r**2)
    distance = np.abs(sums - np.arange(1, 101) / 100 * sums[-1])[11:88]
    expected = distance.max() / np.sqrt(100 * (np.mean(r**4) - np.mean(r**2) ** 2))
    assert statistic == pytest.approx(expected) and place == int(np.argmax(distance)) + 12
    assert ratio == pytest.approx(np.sqrt(np.mean(r[place:] ** 2) / np.mean(r[:place] ** 2)))
    assert run(r[:20], 12)[0] == -1 and run(np.zeros(60), 12) == (-1, 0.0, 1.0)


@given(st.integers(0, 2**32 - 1), st.floats(0.01, 1000), st.sampled_from([1, 12]))
def test_the_unit_of_demand_changes_nothing(seed, factor, season_length):
    """Counting dozens instead of pieces moves neither outliers nor shifts."""
    rng = np.random.default_rng(seed)
    values = 100 + 20 * np.sin(2 * np.pi * np.arange(72) / 12) + 5 * rng.normal(size=72)
    values[rng.integers(72)] += 60
    one, other = expect(values, season_length), expect(values * factor, season_length)
    assert np.array_equal(one.outlying, other.outlying) and one.relative == other.relative
    assert [shift.place for shift in one.shifts] == [shift.place for shift in other.shifts]
    assert other.values == pytest.approx(one.values * factor, rel=1e-6)
