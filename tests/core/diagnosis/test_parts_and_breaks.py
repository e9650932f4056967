"""Decomposition, seasons, breaks and audits against plain computations and what was put into a series."""

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import monthly, seasonal_values
from reference import NILE
from veridex.core.numerics.seasons.loess import decompose_by_loess

WALK = np.random.default_rng(8).normal(size=120).cumsum() + 50


def ordinary(columns, target):
    """Coefficients, residuals and covariance of a regression, from the normal equations."""
    x = np.column_stack(columns)
    inverse = np.linalg.inv(x.T @ x)
    beta = inverse @ x.T @ target
    rest = target - x @ beta
    return beta, rest, inverse * (rest @ rest) / (target.size - x.shape[1])


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
    y, season_length, n = seasonal_values(3, 72), 12, 72
    ones, trend = np.ones(n), np.zeros(n)
    for _ in range(2):
        seasons = np.empty(n + 24)
        for phase in range(12):
            own = (y - trend)[phase::12]
            seasons[phase::12] = plain_smooth(own, np.ones(own.size), 7, range(-1, own.size + 1))
        low = np.convolve(
            np.convolve(np.convolve(seasons, ones[:12] / 12, "valid"), ones[:12] / 12, "valid"), ones[:3] / 3, "valid"
        )
        season = seasons[12:-12] - plain_smooth(low, ones, 13, range(n))
        trend = plain_smooth(y - season, ones, 23, range(n))
    found = [np.empty(n) for _ in range(3)]
    run(y, season_length, 7, 23, 13, 2, 0, ones, *found)
    assert found[0] == pytest.approx(trend, rel=1e-8) and found[1] == pytest.approx(season, rel=1e-6, abs=1e-6)


def test_parts_add_up_or_multiply():
    y = seasonal_values(1, 96)
    y[[40, 41]] = np.nan
    for by in ("loess", "classical"):
        for form in ("additive", "multiplicative"):
            parts = vx.decompose(monthly(y), by, form=form)
            again = parts.trend * parts.seasonal * parts.rest if form == "multiplicative" else None
            again = parts.trend + parts.seasonal + parts.rest if again is None else again
            known = ~np.isnan(again)
            assert again[known] == pytest.approx(y[known]) and known.sum() >= 96 - 2 - 12 * (by == "classical") - 26
            assert parts.strengths["season_12"] > 0.8 and parts.strengths["trend"] > 0.7
    assert not np.isnan(vx.decompose(monthly(y)).trend).any()
    frame = vx.decompose(monthly(y)).to_frame()
    assert frame.columns.tolist() == ["item", "period", "demand", "season_12", "adjusted", "trend", "rest"]
    outlying = seasonal_values(1, 96)
    outlying[50] *= 5
    clean, bent = vx.decompose(monthly(seasonal_values(1, 96))), vx.decompose(monthly(outlying))
    assert np.abs(clean.trend - bent.trend).max() < 0.05 * clean.trend.mean()  # its weight is zero


def test_a_classical_decomposition_by_hand():
    """Quarters: means of five with half weights at the ends, then the mean of each quarter's ratio."""
    y = np.array([10.0, 20, 30, 40, 14, 24, 34, 44, 18, 28, 38, 48])
    parts = vx.decompose(vx.History.from_numbers(y, start="2020-Q1", cadence="quarterly"), "classical")
    assert np.isnan(parts.trend[[0, 1, -2, -1]]).all()
    assert parts.trend[2:-2].tolist() == [25.5, 26.5, 27.5, 28.5, 29.5, 30.5, 31.5, 32.5]
    assert parts.seasonal[:4].tolist() == [-13.5, -4.5, 4.5, 13.5] and np.nanmax(np.abs(parts.rest)) == 0


def test_two_seasons_are_told_apart():
    t = np.arange(3 * 364)
    week, year = 10 * np.sin(2 * np.pi * t / 7), 30 * np.cos(2 * np.pi * t / 364)
    y = 100 + week + year + np.random.default_rng(3).normal(size=t.size)
    history = vx.History.from_numbers(y, start="2020-01-01", cadence="daily")
    parts = vx.decompose(history, seasons=[7, 364])
    assert np.corrcoef(parts.by_season[0], week)[0, 1] > 0.99 and np.corrcoef(parts.by_season[1], year)[0, 1] > 0.99
    assert min(parts.strengths[name] for name in ("season_7", "season_364")) > 0.9


@pytest.mark.parametrize(
    ("call", "words"),
    [
        (lambda: vx.decompose(monthly(range(20))).reason, "too little history: 20 known periods, 24 needed"),
        (lambda: vx.decompose(monthly(range(30)), form="multiplicative").reason, "not above zero everywhere"),
        (lambda: vx.decompose(vx.History.from_numbers(range(9), cadence="counted")).reason, "state one with seasons="),
        (lambda: vx.decompose(monthly([None] * 30)).reason, "no known value"),
    ],
)
def test_no_decomposition_has_a_reason(call, words):
    assert words in call()


def test_wrong_words_are_refused():
    series = monthly(WALK)
    for call, words in (
        (lambda: vx.decompose(series, "magic"), "it is one of 'loess', 'classical'"),
        (lambda: vx.decompose(series, "classical", seasons=[4, 12]), "takes out one season"),
        (lambda: vx.decompose(series, seasons=1), "after two periods or more"),
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
    ("cadence", "build", "seasons"),
    [
        ("monthly", lambda t: 20 * np.sin(2 * np.pi * t / 12), (12,)),
        ("daily", lambda t: 10 * np.sin(2 * np.pi * t / 7) + 20 * np.cos(2 * np.pi * t / 365), (365.25, 7)),
        ("counted", lambda t: 8 * np.sin(2 * np.pi * t / 17), (17,)),
        ("hourly", lambda t: 9 * np.sin(2 * np.pi * t / 24) + 6 * (t % 168 < 48), (24, 168)),
        ("monthly", lambda t: 0.3 * t, ()),
        ("counted", lambda t: 0 * t, ()),
    ],
)
def test_seasons_are_found_several_at_once(cadence, build, seasons):
    t = np.arange(1095 if cadence in ("daily", "hourly") else 204)
    y = 100 + build(t) + 2 * np.random.default_rng(5).normal(size=t.size)
    y[11] = np.nan
    start = None if cadence == "counted" else "2020-01-01"
    found = vx.seasons(vx.History.from_numbers(y, start=start, cadence=cadence))
    assert set(found.lengths) == set(seasons)
    assert all(season.strength > 0.3 and season.p_value < 1e-6 for season in found.found)
    assert ("no season" in found.reading) == (seasons == ())


def test_seasons_that_the_planner_names_are_listed():
    found = vx.seasons(monthly(seasonal_values(1, 96)), stated=[5, 12])
    assert found.lengths == (12,) and found.table["season_length"].tolist() == [12, 5]
    assert found.table["seen"].tolist() == ["named", "named"] and found.table["strength"][1] < 0.1
    assert "too little history" in vx.seasons(monthly([1, 2])).reading
    assert vx.seasons(monthly([4.0] * 30)).reason == "all values are equal"
    with pytest.raises(vx.VeridexError, match="after two periods or more"):
        vx.seasons(monthly(WALK), stated=1)


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
