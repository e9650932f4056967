"""Conformal quantiles against sorted lists, nested bounds, and what each kind of interval held."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx
from conftest import plain_quantiles, portfolio, scores_of, towards_others, trial_cells
from veridex.core.calibration.conformal import conformal_quantiles, left_out_quantiles, nested


@pytest.fixture(scope="module")
def deep():
    """Four items with fourteen origins."""
    return vx.backtest(portfolio(4, 84), ["seasonal-naive", "theta"], vx.RollingOrigin(horizon=4, origins=14))


@given(st.integers(1, 9), st.integers(1, 5), st.integers(0, 2**32), st.sampled_from([50.0, 80.0, 95.0]))
def test_conformal_quantiles_are_those_of_sorted_lists(origins, steps, seed, level):
    rng = np.random.default_rng(seed)
    scores = rng.gamma(2.0, size=(origins, steps)).round(1)
    scores[rng.random(scores.shape) < 0.2] = np.nan
    told = plain_quantiles(scores, level)
    assert conformal_quantiles(scores, (level,))[0] == pytest.approx(told, rel=1e-12, nan_ok=True)
    for o, row in enumerate(left_out_quantiles(scores, (level,))):
        told = plain_quantiles(np.delete(scores, o, axis=0), level)
        assert row[0] == pytest.approx(told, rel=1e-12, nan_ok=True)


@given(st.integers(0, 2**32))
def test_nested_bounds_shrink_with_neither_lead_time_nor_level(seed):
    rng = np.random.default_rng(seed)
    points, half = rng.normal(size=6), rng.gamma(1.0, size=(3, 6))
    half[rng.random(half.shape) < 0.15] = np.nan
    lower, upper = nested(points, points - half, points + 2 * half)
    for sides in (points - lower, upper - points):
        for row in sides:
            assert (np.diff(row[~np.isnan(row)]) >= -1e-12).all()
        with np.errstate(invalid="ignore"):
            steps = np.diff(sides, axis=0)
        assert (steps[~np.isnan(steps)] >= -1e-12).all()
    known = ~np.isnan(half)
    assert (lower[known] <= (points - half)[known]).all() and (upper[known] >= (points + 2 * half)[known]).all()


def test_coverage_of_each_kind_leaves_the_origin_out(deep):
    verdict = vx.decide(deep, "single")
    winners = verdict.winners.set_index("item")["method"].to_dict()
    assert verdict.winners["intervals"].eq("average").all()
    everybody = {item: scores_of(deep, item, method) for item, method in winners.items()}
    z = {80: 1.2815515655446004, 95: 1.959963984540054}
    for (item, method), level in itertools.product(winners.items(), (80, 95)):
        names = ("actual", "forecast", f"lower_{level}", f"upper_{level}", "std_error")
        actual, point, lower, upper, spread = (trial_cells(deep, item, method, name) for name in names)
        spread, own = np.maximum.accumulate(spread, axis=1), everybody[item]
        others = [scores for other, scores in everybody.items() if other != item]
        left_out = np.array([plain_quantiles(np.delete(own, o, axis=0), level) for o in range(len(own))])
        drawn, pooled = towards_others(left_out, others, level, len(own) - 1)
        found = {"model": (lower, upper), "conformal": (point - drawn * spread, point + drawn * spread)}
        stretched = (point - pooled / z[level] * (point - lower), point + pooled / z[level] * (upper - point))
        found["average"] = tuple(0.5 * (a + b) for a, b in zip(stretched, found["conformal"], strict=True))
        table = verdict.intervals
        for kind, (low, high) in found.items():
            known = ~np.isnan(actual) & ~np.isnan(low)
            low = point - np.maximum.accumulate(point - low, axis=1)
            high = point + np.maximum.accumulate(high - point, axis=1)
            row = table[(table["item"] == item) & (table["kind"] == kind) & (table["level"] == level)].iloc[0]
            if kind == "model" or level == 80:
                assert row["coverage"] == pytest.approx(100 * ((low <= actual) & (actual <= high))[known].mean())
                beyond = np.maximum(low - actual, 0) + np.maximum(actual - high, 0)
                score = (high - low + beyond * 2 / (1 - level / 100))[known].mean()
                assert row["interval_score"] == pytest.approx(score)
