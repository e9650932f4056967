"""Unit roots, differencing advice, correlogram, decomposition and audit against plain computations and tables."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx
from conftest import monthly, seasonal_values
from reference import LAKE_HURON, NILE
from veridex.core.diagnosis.canova_hansen import canova_hansen, von_mises_critical, von_mises_p_value
from veridex.core.diagnosis.correlogram import partial_autocorrelations
from veridex.core.diagnosis.dickey_fuller import lags_by
from veridex.core.diagnosis.differencing import warnings_of
from veridex.core.diagnosis.gls_dickey_fuller import gls_critical, gls_dickey_fuller
from veridex.core.diagnosis.kpss import kpss_p_value
from veridex.core.diagnosis.long_run import automatic_window
from veridex.core.diagnosis.phillips_perron import phillips_perron
from veridex.core.diagnosis.portmanteau import autocorrelations
from veridex.core.diagnosis.transform import box_cox, guerrero_power, transform_advice
from veridex.core.diagnosis.zivot_andrews import zivot_andrews
from veridex.core.numerics.loess import decompose_by_loess

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


def test_canova_hansen_by_its_definition():
    y, cycle, window = seasonal_values(4, 96), 12, 3
    z, t = y[1:], np.arange(1, 96)
    waves = [f(2 * np.pi * k * t / 12) for k in range(1, 6) for f in (np.cos, np.sin)] + [np.cos(np.pi * t)]
    _, rest, _ = ordinary([np.ones(95), y[:-1], *waves], z)
    scores = np.column_stack(waves) * rest[:, None]
    omega = scores.T @ scores / 95
    for lag in range(1, window + 1):
        cross = scores[lag:].T @ scores[:-lag] / 95
        omega += (1 - lag / (window + 1)) * (cross + cross.T)
    sums = scores.cumsum(axis=0)
    expected = sum(f @ np.linalg.inv(omega) @ f for f in sums) / 95**2
    assert canova_hansen(y, cycle, lags=window).statistic == pytest.approx(expected, rel=1e-8)
    assert canova_hansen(y[:30], cycle).reason == "too little history: 30 periods, 37 needed"


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
        (seasonal_values(0, 96), {"d": 1}, "at the cycle's lag 12"),
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
    assert [step.test for step in advice.steps][:2] == ["likelihood of powers", "Canova-Hansen (cycle of 12)"]
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
    assert any("one over the cycle may have been meant" in text for text in missed)
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


def plain_loess(y, weights, width, at):
    """Local line by NumPy; positions of a full window, tricube weights."""
    n = y.size
    first = 0 if width >= n else int(np.clip(round(at) - width // 2, 0, n - width))
    inside = np.arange(first, min(first + width, n))
    reach = np.abs(inside - at).max() + (width - n) // 2 * (width > n)
    w = weights[inside] * np.where(
        np.abs(inside - at) <= 0.001 * reach, 1, (1 - (np.abs(inside - at) / reach) ** 3) ** 3
    )
    w = np.where(np.abs(inside - at) <= 0.999 * reach, w, 0)
    return np.polyval(np.polyfit(inside - at, y[inside], 1, w=np.sqrt(w)), 0)


def plain_smooth(y, weights, width, places):
    """At every tenth of the width, joined by straight lines."""
    jump = -(-width // 10)
    knots = sorted({*range(places[0], places[-1], jump), places[-1]})
    return np.interp(places, knots, [plain_loess(y, weights, width, knot) for knot in knots])


@pytest.mark.parametrize("run", [decompose_by_loess, decompose_by_loess.py_func], ids=["compiled", "plain"])
def test_loess_decomposition_by_its_definition(run):
    """Two inner loops of Cleveland et al. (1990), section 2, with NumPy's own least squares."""
    y, cycle, n = seasonal_values(3, 72), 12, 72
    ones, trend = np.ones(n), np.zeros(n)
    for _ in range(2):
        cycles = np.empty(n + 24)
        for phase in range(12):
            own = (y - trend)[phase::12]
            cycles[phase::12] = plain_smooth(own, np.ones(own.size), 7, range(-1, own.size + 1))
        low = np.convolve(
            np.convolve(np.convolve(cycles, ones[:12] / 12, "valid"), ones[:12] / 12, "valid"), ones[:3] / 3, "valid"
        )
        season = cycles[12:-12] - plain_smooth(low, ones, 13, range(n))
        trend = plain_smooth(y - season, ones, 23, range(n))
    found = [np.empty(n) for _ in range(3)]
    run(y, cycle, 7, 23, 13, 2, 0, ones, *found)
    assert found[0] == pytest.approx(trend, rel=1e-8) and found[1] == pytest.approx(season, rel=1e-6, abs=1e-6)


def test_parts_add_up_or_multiply():
    y = seasonal_values(1, 96)
    y[[40, 41]] = np.nan
    for by in ("loess", "classical"):
        for form in ("additive", "multiplicative"):
            parts = vx.decompose(monthly(y), by, form=form)
            again = parts.trend * parts.seasonal * parts.remainder if form == "multiplicative" else None
            again = parts.trend + parts.seasonal + parts.remainder if again is None else again
            known = ~np.isnan(again)
            assert again[known] == pytest.approx(y[known]) and known.sum() >= 96 - 2 - 12 * (by == "classical") - 26
            assert parts.strengths["season 12"] > 0.8 and parts.strengths["trend"] > 0.7
    assert not np.isnan(vx.decompose(monthly(y)).trend).any()
    frame = vx.decompose(monthly(y)).to_frame()
    assert frame.columns.tolist() == ["item", "period", "demand", "trend", "season_12", "remainder", "adjusted"]
    freak = seasonal_values(1, 96)
    freak[50] *= 5
    clean, bent = vx.decompose(monthly(seasonal_values(1, 96))), vx.decompose(monthly(freak))
    assert np.abs(clean.trend - bent.trend).max() < 0.05 * clean.trend.mean()  # its weight is zero


def test_a_classical_decomposition_by_hand():
    """Quarters: means of five with half weights at the ends, then the mean of each quarter's ratio."""
    y = np.array([10.0, 20, 30, 40, 14, 24, 34, 44, 18, 28, 38, 48])
    parts = vx.decompose(vx.History.from_numbers(y, start="2020-Q1", cadence="quarterly"), "classical")
    assert np.isnan(parts.trend[[0, 1, -2, -1]]).all()
    assert parts.trend[2:-2].tolist() == [25.5, 26.5, 27.5, 28.5, 29.5, 30.5, 31.5, 32.5]
    assert parts.seasonal[:4].tolist() == [-13.5, -4.5, 4.5, 13.5] and np.nanmax(np.abs(parts.remainder)) == 0


def test_two_seasons_are_told_apart():
    t = np.arange(3 * 364)
    week, year = 10 * np.sin(2 * np.pi * t / 7), 30 * np.cos(2 * np.pi * t / 364)
    y = 100 + week + year + np.random.default_rng(3).normal(size=t.size)
    history = vx.History.from_numbers(y, start="2020-01-01", cadence="daily")
    parts = vx.decompose(history, cycles=[7, 364])
    assert np.corrcoef(parts.seasons[0], week)[0, 1] > 0.99 and np.corrcoef(parts.seasons[1], year)[0, 1] > 0.99
    assert min(parts.strengths[name] for name in ("season 7", "season 364")) > 0.9


@pytest.mark.parametrize(
    ("call", "words"),
    [
        (lambda: vx.decompose(monthly(range(20))).reason, "too little history: 20 known periods, 24 needed"),
        (lambda: vx.decompose(monthly(range(30)), form="multiplicative").reason, "not above zero everywhere"),
        (lambda: vx.decompose(vx.History.from_numbers(range(9), cadence="counted")).reason, "state one with cycles="),
        (lambda: vx.decompose(monthly([None] * 30)).reason, "no known value"),
    ],
)
def test_no_decomposition_has_a_reason(call, words):
    assert words in call()


def test_wrong_words_are_refused():
    series = monthly(WALK)
    for call, words in (
        (lambda: vx.decompose(series, "magic"), "it is one of 'loess', 'classical'"),
        (lambda: vx.decompose(series, "classical", cycles=[4, 12]), "takes out one season"),
        (lambda: vx.decompose(series, cycles=1), "after two periods or more"),
        (lambda: vx.correlogram(series, d=3), "from 0 to 2"),
        (lambda: vx.correlogram(series, lags=0), "from 1 on"),
        (lambda: vx.stationarity(series, choose="hope"), "it is 'aic', 'bic' or 't'"),
        (lambda: vx.differencing(series, significance=80), "given in percent"),
    ):
        with pytest.raises(vx.VeridexError, match=words):
            call()


def test_the_break_of_the_nile_is_dated():
    finding = vx.stationarity(vx.History.from_numbers(NILE, start="1871", cadence="yearly", item="flow"), lags=0)
    row = finding.table.set_index("test").loc["Zivot-Andrews (break in level)"]
    assert row["reading"] == "unit root rejected at 5 %; break in 1899"


def test_an_audit_says_what_was_missed():
    y = seasonal_values(6, 96)
    audit = vx.fit(monthly(y), "mean").audit()
    failed = {check.check for check in audit.checks if check.failed}
    assert {"Ljung-Box", "remaining season", "remaining trend"} <= failed
    assert "a season remains" in audit.reading and "errors rise in time: the trend was missed" in audit.reading
    assert audit.table.columns.tolist() == ["check", "statistic", "p_value", "reading"]
    e = vx.fit(monthly(y), "mean").residuals
    assert audit.largest["error"].iloc[0] == e[np.argmax(np.abs(e))] and len(audit.largest) == 5
    centred = e - e.mean()
    assert audit.skewness == pytest.approx(np.mean(centred**3) / e.std() ** 3)
    t = np.arange(96.0)
    checks = {check.check: check for check in audit.checks}
    slope, _, covariance = ordinary([t, np.ones(96)], e)
    assert checks["remaining trend"].statistic == pytest.approx(slope[0] / np.sqrt(covariance[0, 0]))
    r2 = np.corrcoef(t, centred**2)[0, 1] ** 2
    assert checks["changing spread"].statistic == pytest.approx(96 * r2)
    n, k = 96, audit.excess_kurtosis
    assert checks["Jarque-Bera"].statistic == pytest.approx(n / 6 * (audit.skewness**2 + k**2 / 4))


def test_audits_lose_the_degrees_that_were_spent_and_have_reasons(trial):
    y = seasonal_values(6, 96)
    seasonal = vx.fit(monthly(y), "holt-winters season=multiplicative").audit()
    assert not {check.check for check in seasonal.checks if check.failed} & {"remaining season", "bias"}
    assert vx.fit(monthly([1.0, 2, 3]), "mean").audit().reason == "3 errors, 8 needed"
    assert vx.fit(monthly(y[:5]), "holt-winters").audit().reason
    assert vx.fit(vx.History.from_numbers([5.0] * 30, cadence="counted"), "naive").audit().reason == "the fit is exact"
    held = trial.audit("smoker-01", "naive")
    errors = trial.errors.query("item == 'smoker-01' and method == 'naive' and step == 1")
    assert held.n == 8 and held.scope == "holdout"
    assert held.largest["error"].iloc[0] == (errors["actual"] - errors["forecast"]).abs().max() * np.sign(
        held.largest["error"].iloc[0]
    )
    assert pd.Timestamp(held.largest["period"].iloc[0]) in set(errors["period"])
    with pytest.raises(vx.VeridexError, match="the trial looked 6 ahead"):
        trial.audit("smoker-01", "naive", step=9)


@pytest.mark.parametrize(
    ("cadence", "build", "cycles"),
    [
        ("monthly", lambda t: 20 * np.sin(2 * np.pi * t / 12), (12,)),
        ("daily", lambda t: 10 * np.sin(2 * np.pi * t / 7) + 20 * np.cos(2 * np.pi * t / 365), (365, 7)),
        ("counted", lambda t: 8 * np.sin(2 * np.pi * t / 17), (17,)),
        ("hourly", lambda t: 9 * np.sin(2 * np.pi * t / 24) + 6 * (t % 168 < 48), (24, 168)),
        ("monthly", lambda t: 0.3 * t, ()),
        ("counted", lambda t: 0 * t, ()),
    ],
)
def test_cycles_are_found_several_at_once(cadence, build, cycles):
    t = np.arange(1095 if cadence in ("daily", "hourly") else 204)
    y = 100 + build(t) + 2 * np.random.default_rng(5).normal(size=t.size)
    y[11] = np.nan
    start = None if cadence == "counted" else "2020-01-01"
    found = vx.seasons(vx.History.from_numbers(y, start=start, cadence=cadence))
    assert set(found.cycles) == set(cycles)
    assert all(season.strength > 0.3 and season.p_value < 1e-6 for season in found.found)
    assert ("no season" in found.reading) == (cycles == ())


def test_cycles_that_the_planner_names_are_listed():
    found = vx.seasons(monthly(seasonal_values(1, 96)), cycles=[5, 12])
    assert found.cycles == (12,) and found.table["cycle"].tolist() == [12, 5]
    assert found.table["seen"].tolist() == ["named", "named"] and found.table["strength"][1] < 0.1
    assert "too little history" in vx.seasons(monthly([1, 2])).reading
    assert vx.seasons(monthly([4.0] * 30)).reason == "all values are equal"
    with pytest.raises(vx.VeridexError, match="after two periods or more"):
        vx.seasons(monthly(WALK), cycles=1)


def test_breaks_of_level_and_trend_are_dated():
    rng = np.random.default_rng(9)
    t = np.arange(120.0)
    bend = vx.breaks(monthly(100 + 0.5 * np.minimum(t, 60) - (t > 60) * (t - 60) + rng.normal(size=120)))
    assert [(one.kind, round(one.size, 1)) for one in bend.found] == [("trend", -1.5)]
    assert abs(bend.found[0].ordinal - bend.series.start - 61) <= 2
    season = 30 * np.sin(2 * np.pi * t / 12)
    two = vx.breaks(monthly(200 + season + 20 * (t >= 40) - 35 * (t >= 90) + 2 * rng.normal(size=120)))
    assert two.table["kind"].tolist() == ["level", "level"]
    assert two.table["period"].dt.strftime("%Y-%m").tolist() == ["2021-05", "2025-07"]
    assert two.table["size"].tolist() == pytest.approx([20, -35], abs=2)
    assert "the level turns up by" in two.reading and "in 2021-05" in two.reading
    nile = vx.breaks(vx.History.from_numbers(NILE, start="1871", cadence="yearly", item="flow"))
    assert nile.reading.startswith("flow: the level turns down by 28") and nile.reading.endswith("in 1899.")
    quiet = [vx.breaks(monthly(np.random.default_rng(s).normal(size=96))).found for s in range(40)]
    assert sum(map(bool, quiet)) <= 1
    assert "too little history" in vx.breaks(monthly([1, 2, 3])).reading
    assert vx.breaks(monthly([4.0] * 30)).reason == "all values are equal"
