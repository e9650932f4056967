"""Stationarity tests against published tables and plain regressions."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx
from conftest import monthly
from reference import NILE
from veridex.core.diagnosis.dickey_fuller import dickey_fuller, mackinnon_critical, mackinnon_p_value, schwert_bound
from veridex.core.diagnosis.kpss import kpss, kpss_p_value


# Kwiatkowski et al. (1992), table 1; simulated and rounded, hence the tolerance.
@pytest.mark.parametrize(
    ("p_value", "level", "trend"),
    [(0.1, 0.347, 0.119), (0.05, 0.463, 0.146), (0.025, 0.574, 0.176), (0.01, 0.739, 0.216)],
)
def test_kpss_law_matches_published_table(p_value, level, trend):
    assert kpss_p_value(level, "level") == pytest.approx(p_value, abs=1e-3)
    assert kpss_p_value(trend, "trend") == pytest.approx(p_value, abs=2.5e-3)


# Anderson and Darling (1952), table 1: the limit law of the Cramer-von Mises statistic, which is the level case.
@pytest.mark.parametrize(("probability", "point"), [(0.9, 0.34730), (0.95, 0.46136), (0.99, 0.74346), (0.999, 1.16786)])
def test_kpss_level_law_is_cramer_von_mises(probability, point):
    assert 1 - kpss_p_value(point, "level") == pytest.approx(probability, abs=5e-6)


@given(st.floats(0.001, 3), st.floats(0.001, 3), st.sampled_from(["level", "trend"]))
def test_kpss_p_value_falls(one, other, kind):
    low, high = sorted((one, other))
    assert 1 >= kpss_p_value(low, kind) >= kpss_p_value(high, kind) - 1e-9 >= -1e-9


# Fuller (1976), Introduction to Statistical Time Series, table 8.5.2: 5 % points of the t statistics.
@pytest.mark.parametrize(
    ("kind", "points"),
    [("none", (-1.95, -1.95, -1.95)), ("level", (-3.00, -2.93, -2.89)), ("trend", (-3.60, -3.50, -3.45))],
)
def test_critical_values_match_fuller(kind, points):
    for n, point in zip((25, 50, 100), points, strict=True):
        assert mackinnon_critical(kind, n)[1] == pytest.approx(point, abs=0.02)


@pytest.mark.parametrize("kind", ["none", "level", "trend"])
def test_p_values_agree_with_critical_values_and_join_up(kind):
    for share, critical in zip((0.01, 0.05, 0.10), mackinnon_critical(kind, 10**9), strict=True):
        assert mackinnon_p_value(critical, kind) == pytest.approx(share, abs=1e-3)
    grid = [mackinnon_p_value(t, kind) for t in np.arange(-20, 4, 0.01)]
    assert grid[0] < 1e-9 and grid[-1] > 0.99
    assert (np.diff(grid) > -5e-3).all()  # the two published polynomials do not quite meet


def plain_regression(y, lags, kind):
    change = np.diff(y)
    n = change.size - lags
    columns = [y[lags:-1], *(change[lags - j : change.size - j] for j in range(1, lags + 1))]
    columns += [np.ones(n)] * (kind != "none") + [np.arange(n)] * (kind == "trend")
    design, target = np.column_stack(columns), change[lags:]
    solution = np.linalg.lstsq(design, target, rcond=None)[0]
    rest = target - design @ solution
    variance = rest @ rest / (n - design.shape[1])
    return solution[0] / np.sqrt(variance * np.linalg.inv(design.T @ design)[0, 0])


@pytest.mark.parametrize("kind", ["none", "level", "trend"])
@pytest.mark.parametrize("lags", [0, 1, 5])
def test_dickey_fuller_equals_a_plain_regression(kind, lags):
    y = 40 + np.random.default_rng(lags).normal(size=90).cumsum()
    found = dickey_fuller(y, lags=lags, deterministic=kind)
    assert found.statistic == pytest.approx(plain_regression(y, lags, kind), rel=1e-8)
    assert (found.lags, found.n) == (lags, 89 - lags)


def test_lags_by_aic_are_the_best_on_a_common_sample():
    rng = np.random.default_rng(4)
    shocks = rng.normal(size=140)
    y = (shocks[2:] - 0.7 * shocks[1:-1] + 0.4 * shocks[:-2]).cumsum()
    most, change = schwert_bound(y.size), np.diff(y)

    def criterion(lags):
        n = change.size - most
        columns = [y[most:-1], np.ones(n), *(change[most - j : change.size - j] for j in range(1, lags + 1))]
        total = np.linalg.lstsq(np.column_stack(columns), change[most:], rcond=None)[1][0]
        return n * np.log(total / n) + 2 * len(columns)

    assert dickey_fuller(y).lags == int(np.argmin([criterion(lags) for lags in range(most + 1)])) > 0
    assert schwert_bound(100) == 12


@pytest.mark.parametrize("kind", ["level", "trend"])
def test_kpss_equals_a_plain_sum(kind):
    y = np.random.default_rng(2).normal(size=70).cumsum()
    t = np.arange(70)
    rest = y - np.polyval(np.polyfit(t, y, 1 if kind == "trend" else 0), t)
    variance = (
        sum((1 - abs(i - j) / 4) * rest[i] * rest[j] for i in range(70) for j in range(70) if abs(i - j) <= 3) / 70
    )
    expected = sum(sum(rest[: i + 1]) ** 2 for i in range(70)) / 70**2 / variance
    assert kpss(y, lags=3, deterministic=kind).statistic == pytest.approx(expected, rel=1e-8)
    assert kpss(y, deterministic=kind).lags == int(4 * 0.7**0.25)


@given(st.floats(1e-6, 1e6), st.floats(-1e3, 1e3))
def test_the_unit_of_demand_does_not_matter(factor, shift):
    base, other = (vx.stationarity(monthly(v), lags=2).table for v in (NILE, factor * (NILE + shift)))
    assert other["statistic"].to_numpy() == pytest.approx(base["statistic"].to_numpy(), rel=1e-6)


def test_readings_cover_the_four_cases():
    rng = np.random.default_rng(11)
    noise, walk = rng.normal(size=200), rng.normal(size=200).cumsum()
    breaking = noise + np.where(np.arange(200) < 100, 0.0, 1.5)
    cases = {
        "stationary around a level": (noise, None),
        "not stationary": (walk, None),
        "both nulls are rejected": (breaking, 1),
        "neither null is rejected": (noise[:25], 6),
    }
    for words, (values, lags) in cases.items():
        assert f": {words}" in vx.stationarity(monthly(values), lags=lags).reading
    table = vx.stationarity(monthly(walk)).table
    leading = ["test", "statistic", "p_value", "lags", "critical_1", "critical_5", "critical_10", "reading"]
    assert table.columns.tolist()[:8] == leading
    assert table["reading"].tolist()[:2] == ["unit root not rejected at 5 %", "stationary rejected at 5 %"]
    assert len(table) == 6 and table["null"].tolist()[-1] == "stable season"


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ([5.0] * 30, "all values are equal"),
        ([1, 2, 3.0], "too little history"),
        ([1, None, 3.0] * 9, "unknown periods inside"),
        ([None] * 9, "no known value"),
        (np.arange(30.0), "singular"),
    ],
)
def test_not_available_has_a_reason(values, words):
    finding = vx.stationarity(monthly(values))
    assert words in finding.reading
    assert np.isnan(finding.table["statistic"][0])


@pytest.mark.parametrize("wrong", [{"lags": -1}, {"deterministic": "season"}, {"significance": 0}])
def test_bad_arguments_are_refused(wrong):
    with pytest.raises(vx.VeridexError, match=next(iter(wrong))):
        vx.stationarity(monthly(NILE), **wrong)
