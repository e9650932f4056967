"""Unit roots, differencing advice and correlograms against plain computations and published tables."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx
from conftest import monthly, seasonal_values
from reference import LAKE_HURON
from veridex.core.diagnosis.canova_hansen import canova_hansen, von_mises_critical, von_mises_p_value
from veridex.core.diagnosis.correlogram import partial_autocorrelations
from veridex.core.diagnosis.dickey_fuller import lags_by
from veridex.core.diagnosis.differencing import warnings_of
from veridex.core.diagnosis.gls_dickey_fuller import gls_critical, gls_dickey_fuller
from veridex.core.diagnosis.kpss import kpss_p_value
from veridex.core.diagnosis.long_run import automatic_window
from veridex.core.diagnosis.outcome import Outcome
from veridex.core.diagnosis.phillips_perron import phillips_perron
from veridex.core.diagnosis.portmanteau import autocorrelations
from veridex.core.diagnosis.transform import guerrero_power, transform_advice
from veridex.core.diagnosis.zivot_andrews import zivot_andrews
from veridex.core.numerics.box_cox import box_cox
from veridex.core.numerics.unit_root import adf_lags, adf_ratio

WALK = np.random.default_rng(8).normal(size=120).cumsum() + 50


def ordinary(columns, target):
    """Coefficients, residuals and covariance of a regression, from the normal equations."""
    x = np.column_stack(columns)
    inverse = np.linalg.inv(x.T @ x)
    beta = inverse @ x.T @ target
    rest = target - x @ beta
    return beta, rest, inverse * (rest @ rest) / (target.size - x.shape[1])


@pytest.mark.parametrize("choose", ["aic", "bic", "t"])
@pytest.mark.parametrize("deterministic", ["none", "level", "trend"])
def test_lags_are_those_of_one_regression_each(choose, deterministic):
    y, most = WALK + 3 * np.sin(np.arange(120) / 2), 9
    change = np.diff(y)
    n = change.size - most
    found = []
    for lags in range(most + 1):
        columns = [y[most:-1], *(change[most - j : change.size - j] for j in range(1, lags + 1))]
        columns += [np.ones(n)] if deterministic != "none" else []
        columns += [np.arange(n)] if deterministic == "trend" else []
        beta, rest, covariance = ordinary(columns, change[most:])
        penalty = {"aic": 2, "bic": np.log(n), "t": 0}[choose] * len(columns)
        last = abs(beta[lags] / np.sqrt(covariance[lags, lags])) if lags else np.inf
        found.append((n * np.log(rest @ rest / n) + penalty, last))
    if choose == "t":
        expected = max(lags for lags in range(most + 1) if found[lags][1] >= 1.6448536)
    else:
        expected = int(np.argmin([criterion for criterion, _ in found]))
    assert lags_by(choose, y, most, deterministic) == expected


@pytest.mark.parametrize("deterministic", ["none", "level", "trend"])
def test_phillips_perron(deterministic):
    """Hamilton (1994), equation 17.6.12, from the normal equations."""
    n, window = WALK.size - 1, 4
    columns = [WALK[:-1], np.ones(n), np.arange(n)][: {"none": 1, "level": 2, "trend": 3}[deterministic]]
    beta, rest, covariance = ordinary(columns, WALK[1:])
    gamma = [rest[lag:] @ rest[: n - lag] / n for lag in range(window + 1)]
    long = gamma[0] + 2 * sum((1 - lag / (window + 1)) * gamma[lag] for lag in range(1, window + 1))
    error, s2 = np.sqrt(covariance[0, 0]), rest @ rest / (n - len(columns))
    expected = np.sqrt(gamma[0] / long) * (beta[0] - 1) / error
    expected -= 0.5 * (long - gamma[0]) / np.sqrt(long) * n * error / np.sqrt(s2)
    outcome = phillips_perron(WALK, lags=window, deterministic=deterministic)
    assert outcome.statistic == pytest.approx(expected, rel=1e-8)
    assert phillips_perron(np.arange(40.0) ** 0).reason == "all values are equal"


@pytest.mark.parametrize(("deterministic", "c"), [("level", -7.0), ("trend", -13.5)])
def test_gls_detrending(deterministic, c):
    n, alpha, lags = WALK.size, 1 + c / WALK.size, 2
    z = np.column_stack((np.ones(n), np.arange(1, n + 1)))[:, : 1 if deterministic == "level" else 2]
    quasi = [np.concatenate((x[:1], x[1:] - alpha * x[:-1])) for x in (WALK, *z.T)]
    beta, *_ = ordinary(quasi[1:], quasi[0])
    rest = WALK - z @ beta
    change = np.diff(rest)
    columns = [rest[lags:-1], *(change[lags - j : change.size - j] for j in range(1, lags + 1))]
    slope, _, covariance = ordinary(columns, change[lags:])
    outcome = gls_dickey_fuller(WALK, lags=lags, deterministic=deterministic)
    assert outcome.statistic == pytest.approx(slope[0] / np.sqrt(covariance[0, 0]), rel=1e-8)
    assert gls_dickey_fuller(WALK, deterministic=deterministic).lags >= 0
    # Elliott, Rothenberg and Stock (1996), table I.C.
    assert gls_critical(100) == (-3.58, -3.03, -2.74) and gls_critical(10**9) == pytest.approx((-3.48, -2.89, -2.57))
    assert gls_dickey_fuller(WALK, lags=70).reason == "too little history: 120 periods, 146 needed"


@pytest.mark.parametrize("breaks", ["level", "trend", "both"])
def test_zivot_andrews_tries_every_date(breaks):
    y, lags = WALK, 1
    change, n = np.diff(y), y.size
    time = np.arange(lags + 1, n)
    ratios = {}
    for at in range(18, 103):
        moved = [time >= at] * (breaks != "trend") + [np.maximum(time - at + 1, 0)] * (breaks != "level")
        columns = [y[lags:-1], np.ones(n - 2), time, change[:-1], *moved]
        beta, _, covariance = ordinary([np.asarray(c, dtype=float) for c in columns], change[lags:])
        ratios[at] = beta[0] / np.sqrt(covariance[0, 0])
    outcome = zivot_andrews(y, lags=lags, breaks=breaks)
    assert outcome.statistic == pytest.approx(min(ratios.values()), rel=1e-8)
    assert outcome.place == min(ratios, key=ratios.get)
    # Without p-values, a significance takes the next smaller published value.
    assert outcome.rejects(7) == (outcome.statistic < outcome.critical[1])


def test_the_law_of_canova_and_hansen():
    # Canova and Hansen (1995), table 1: simulated and printed to three digits, hence the tolerance.
    for degrees, critical in {1: (0.748, 0.470, 0.353), 2: (1.07, 0.749, 0.610), 3: (1.35, 1.01, 0.846)}.items():
        assert von_mises_critical(degrees) == pytest.approx(critical, rel=0.02)
    for statistic in (0.1, 0.35, 0.46, 0.74, 1.2):  # one degree of freedom: the law of KPSS, by another formula
        assert von_mises_p_value(statistic, 1) == pytest.approx(kpss_p_value(statistic, "level"), abs=2e-5)
    rng = np.random.default_rng(0)
    k = np.arange(1, 200)
    sample = (rng.chisquare(11, size=(20_000, 199)) / (np.pi * k) ** 2).sum(axis=1)
    for statistic in (1.5, 2.0, 2.74):
        assert von_mises_p_value(statistic, 11) == pytest.approx((sample > statistic).mean(), abs=0.012)


@pytest.mark.parametrize("deterministic", ["level", "trend"])
def test_no_figure_depends_on_the_unit(deterministic):
    """Powers of ten: every value is rounded anew. Beside the constant, very small and large ones once were nothing."""
    y = seasonal_values(4, 96)
    told = []
    for unit in (1.0, 1e-120, 1e-15, 1e12, 1e200):
        series = monthly(y * unit)
        tests = vx.stationarity(series, deterministic=deterministic).outcomes
        advice, seasons = vx.differencing(series), vx.seasons(series)
        bends = [point.ordinal for point in vx.breaks(series).found]
        told.append(([one.statistic for one in tests], advice.d, advice.D, seasons.lengths, bends))
        assert vx.decompose(series).reason in ("", "demand is too large to be squared")
        assert unit > 1e150 or not vx.fit(series, "naive").audit().reason
    for statistics, *rest in told[1:]:
        assert statistics == pytest.approx(told[0][0], rel=1e-8) and rest == list(told[0][1:])


def test_canova_hansen_by_its_definition():
    y, season_length, window = seasonal_values(4, 96), 12, 3
    z, t = y[1:], np.arange(1, 96)
    harmonics = [f(2 * np.pi * k * t / 12) for k in range(1, 6) for f in (np.cos, np.sin)] + [np.cos(np.pi * t)]
    _, rest, _ = ordinary([np.ones(95), y[:-1], *harmonics], z)
    scores = np.column_stack(harmonics) * rest[:, None]
    omega = scores.T @ scores / 95
    for lag in range(1, window + 1):
        cross = scores[lag:].T @ scores[:-lag] / 95
        omega += (1 - lag / (window + 1)) * (cross + cross.T)
    sums = scores.cumsum(axis=0)
    expected = sum(f @ np.linalg.inv(omega) @ f for f in sums) / 95**2
    assert canova_hansen(y, season_length, lags=window).statistic == pytest.approx(expected, rel=1e-8)
    assert canova_hansen(y[:30], season_length).reason == "too little history: 30 periods, 37 needed"


def test_automatic_windows():
    rng = np.random.default_rng(2)
    y = rng.normal(size=100)
    rest = y - y.mean()
    gamma = [rest[lag:] @ rest[: 100 - lag] / 100 for lag in range(5)]
    ratio = 2 * sum(lag * gamma[lag] for lag in range(1, 5)) / (gamma[0] + 2 * sum(gamma[1:]))
    assert automatic_window(y, "level") == int(1.1447 * (ratio**2 * 100) ** (1 / 3))
    table = vx.stationarity(monthly(WALK), lags="automatic").table
    assert table["lags"][1] == automatic_window(WALK, "level") == table["lags"][2]


@given(st.integers(0, 10_000), st.integers(20, 60))
def test_correlations_by_their_definitions(seed, n):
    y = np.random.default_rng(seed).normal(size=n).cumsum()
    x = y - y.mean()
    r, _ = autocorrelations(y, 8)
    assert r[1:] == pytest.approx([x[k:] @ x[: n - k] / (x @ x) for k in range(1, 9)])
    pacf = partial_autocorrelations(r)
    for k in range(1, 9):  # the last coefficient of the Yule-Walker equations of order k
        matrix = np.array([[r[abs(i - j)] for j in range(k)] for i in range(k)])
        assert pacf[k - 1] == pytest.approx(np.linalg.solve(matrix, r[1 : k + 1])[-1], abs=1e-6)


def test_correlogram_of_lake_huron():
    """Brockwell and Davis (2002), example 5.2.1, fit an autoregression of order two to the mean-corrected levels."""
    found = vx.correlogram(vx.History.from_numbers(LAKE_HURON, start="1875", cadence="yearly", item="level"), lags=20)
    assert (found.p, found.seasonal_p) == (2, 0) and "p = 2" in found.reading
    assert found.bound == pytest.approx(1.959964 / np.sqrt(98)) and found.moving_bound[0] == pytest.approx(found.bound)
    assert found.moving_bound[1] == pytest.approx(found.bound * np.sqrt(1 + 2 * found.acf[0] ** 2))
    box_pierce, ljung_box = found.portmanteau
    assert box_pierce.statistic == pytest.approx(98 * (found.acf**2).sum())
    weights = 100 / (98 - np.arange(1, 21))
    assert ljung_box.statistic == pytest.approx(98 * (weights * found.acf**2).sum()) and ljung_box.degrees == 20
    assert vx.correlogram(monthly(WALK), d=1, fitted=2).portmanteau[1].degrees == 22
    assert found.table.columns.tolist() == ["lag", "acf", "pacf", "bound", "moving_bound"]


@pytest.mark.parametrize(
    ("values", "words", "reading"),
    [
        (np.random.default_rng(0).normal(size=120), {}, "no autocorrelation beyond chance"),
        (seasonal_values(0, 96), {"d": 1}, "at the season's lag 12"),
        ([1.0, 2, 3], {}, "too little history"),
        ([5.0] * 30, {}, "all values are equal"),
    ],
)
def test_correlograms_are_read(values, words, reading):
    found = vx.correlogram(monthly(values), **words)
    assert reading in (found.reading or found.reason)


def test_gaps_in_a_correlogram_are_skipped():
    y = np.sin(2 * np.pi * np.arange(240) / 12) + 0.1 * np.random.default_rng(1).normal(size=240)
    y[::7] = np.nan
    assert vx.correlogram(monthly(y)).acf[11] > 0.85


KINDS = {
    "noise": (lambda rng, t: 100 + 5 * rng.normal(size=t.size), "none", 0, 0),
    "walk": (lambda rng, t: 200 + rng.normal(size=t.size).cumsum(), "none", 0, 1),
    "twice": (lambda rng, t: 9000 + rng.normal(size=t.size).cumsum().cumsum(), "none", 0, 2),
    "wandering season": (
        lambda rng, t: 300 + (6 * rng.normal(size=(t.size // 12, 12))).cumsum(axis=0).ravel(), "none", 1, 0,
    ),
    "growing": (
        lambda rng, t: np.exp(4 + 0.015 * t + np.sin(t * np.pi / 6) / 4 + 0.04 * rng.normal(size=t.size)), "log", 0, 1,
    ),
}  # fmt: skip


@pytest.mark.parametrize("kind", KINDS)
def test_differencing_is_advised_step_by_step(kind):
    make, transform, seasonal, plain = KINDS[kind]
    advice = vx.differencing(monthly(make(np.random.default_rng(4), np.arange(144))))
    assert (advice.transform, advice.D, advice.d) == (transform, seasonal, plain)
    assert f"D = {seasonal}" in advice.reading and f"d = {plain}." in advice.reading
    assert [step.test for step in advice.steps][:2] == ["likelihood of powers", "Canova-Hansen (season of 12)"]
    assert advice.values.size == 144 - 12 * seasonal - plain


@pytest.mark.parametrize(
    ("values", "reason"),
    [
        ([1.0, 2], "too little"),
        ([5.0] * 40, "equal"),
        ([1.0, None] * 20, "unknown periods inside"),
        ([None] * 9, "too"),
    ],
)
def test_no_advice_has_a_reason(values, reason):
    assert reason in vx.differencing(monthly(values)).reason


def test_a_difference_too_many_is_warned_of():
    rng = np.random.default_rng(2)
    over = warnings_of(np.diff(rng.normal(size=200)), 12, 0, 1)
    assert len(over) == 1 and "a difference may be one too many" in over[0]
    missed = warnings_of(np.tile(rng.normal(size=12), 12) + 0.3 * rng.normal(size=144), 12, 0, 2)
    assert any("one over the season may have been meant" in text for text in missed)
    assert warnings_of(rng.normal(size=200), 12, 1, 1) == ()


def test_powers():
    y = seasonal_values(2, 96)
    assert box_cox(y, 0.0) == pytest.approx(np.log(y)) and box_cox(y, 0.5) == pytest.approx(2 * (np.sqrt(y) - 1))
    groups = y.reshape(-1, 12)
    variation = []
    for power in np.arange(-1, 2.0001, 0.05):
        ratio = groups.std(axis=1, ddof=1) / groups.mean(axis=1) ** (1 - power)
        variation.append(ratio.std(ddof=1) / ratio.mean())
    assert guerrero_power(y, 12) == pytest.approx(-1 + 0.05 * np.argmin(variation))
    square = 100 + np.sqrt(np.abs(np.random.default_rng(1).normal(size=8)))
    assert transform_advice(square, 12).words == "too little history to judge the spread: no transform"
    assert transform_advice(y - y.min(), 12).words == "demand is not above zero everywhere: no transform"


@pytest.mark.parametrize("run", [adf_ratio, adf_ratio.py_func], ids=["compiled", "plain"])
@pytest.mark.parametrize(("fixed", "lags"), [(0, 0), (1, 3), (2, 5)])
def test_the_kernel_is_a_regression(run, fixed, lags):
    change, n = np.diff(WALK), WALK.size - 1 - lags
    columns = [WALK[lags:-1], *(change[lags - j : change.size - j] for j in range(1, lags + 1))]
    columns += [np.ones(n), np.arange(n)][:fixed]
    beta, _, covariance = ordinary(columns, change[lags:])
    assert run(WALK, lags, fixed) == pytest.approx(beta[0] / np.sqrt(covariance[0, 0]), rel=1e-8)
    if fixed:
        assert np.isnan(run(np.arange(40.0), lags, fixed))  # a straight line leaves nothing to judge by


@pytest.mark.parametrize("choose", [0, 1, 2])
def test_the_plain_kernel_chooses_the_same_lags(choose):
    for seed in range(5):
        y = np.random.default_rng(seed).normal(size=90).cumsum()
        assert adf_lags(y, 8, 1, choose) == adf_lags.py_func(y, 8, 1, choose)


@given(st.integers(0, 5_000), st.floats(0.01, 1000), st.floats(-1e4, 1e4))
def test_tests_ignore_unit_and_level(seed, factor, shift):
    """Counting dozens instead of pieces, or from another zero, moves no statistic and no p-value."""
    y = np.random.default_rng(seed).normal(size=80).cumsum()
    one, other = (vx.stationarity(monthly(values), lags=2).table for values in (y, factor * y + shift))
    assert other["statistic"].to_numpy() == pytest.approx(one["statistic"].to_numpy(), rel=1e-5, abs=1e-7)
    assert other["reading"].tolist() == one["reading"].tolist()


@pytest.mark.parametrize(
    ("statistic", "p_value", "significance", "rejected"),
    [
        (-4.9, np.nan, 5, True),
        (-4.7, np.nan, 5, False),
        (-4.7, np.nan, 10, True),
        (-4.9, np.nan, 1, False),
        (-4.9, np.nan, 0.5, False),  # nothing is published below 1 %: that is taken
        (0.0, 0.03, 5, True),
        (0.0, 0.03, 2, False),
    ],
)
def test_outcomes_reject_by_p_value_or_published_value(statistic, p_value, significance, rejected):
    outcome = Outcome(test="t", null="n", statistic=statistic, p_value=p_value, critical=(-5.34, -4.80, -4.58))
    assert outcome.rejects(significance) is rejected
