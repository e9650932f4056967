"""Seasons above the first and effects of drivers, taken out before a method looks and put back after."""

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from veridex.core.laws.components import NUMBERS, Kind, put, rescaled
from veridex.core.laws.laws import Laws
from veridex.core.numerics.regression.level import fit_level
from veridex.core.numerics.seasons.longer import longer_seasons

DAY = np.arange(910)
WEEK = np.array([0.0, 0.05, 0.1, 0.1, 0.2, -0.1, -0.35])[DAY % 7]


def days(seed, swing=0.35, promo=0.0, n=730):
    """A wholesaler's days: week and year multiply, promotions too."""
    rng = np.random.default_rng(seed)
    x = (rng.random(910) < 0.08) * 1.0
    mean = np.exp(4.5 + swing * np.sin(2 * np.pi * (DAY / 365.25) + seed) + WEEK + promo * x)
    y = rng.poisson(mean * np.exp(0.15 * rng.normal(size=910))).astype(float)
    table = pd.DataFrame({"period": np.datetime64("2023-01-01") + DAY, "promo": x})
    drivers = vx.Drivers.from_frame(table, cadence="daily", known_ahead="all")
    return vx.History.from_numbers(y[:n], start="2023-01-01", cadence="daily", item="jars"), y[n:], drivers


def test_a_regression_under_a_level_is_generalised_least_squares():
    """Against the dense covariance of first differences, of which a diffuse level leaves the likelihood."""
    rng = np.random.default_rng(3)
    n, q = 60, 0.3
    x = rng.normal(size=(n, 2)).cumsum(axis=0)
    y = x @ [2.0, -1.0] + np.cumsum(np.sqrt(q) * rng.normal(size=n)) + rng.normal(size=n)
    found = fit_level(y, x, q)
    dy, dx = np.diff(y), np.diff(x, axis=0)
    covariance = (2 + q) * np.eye(n - 1) - np.eye(n - 1, k=1) - np.eye(n - 1, k=-1)
    inverse = np.linalg.inv(covariance)
    own = np.linalg.inv(dx.T @ inverse @ dx)
    effects = own @ dx.T @ inverse @ dy
    rest = dy - dx @ effects
    square = rest @ inverse @ rest
    assert found.effects == pytest.approx(effects, rel=1e-9)
    assert found.covariance == pytest.approx(own * square / (n - 3), rel=1e-9)
    log_det = np.linalg.slogdet(covariance)[1]
    assert found.log_likelihood == pytest.approx(-0.5 * ((n - 1) * np.log(square / (n - 1)) + log_det), rel=1e-9)
    grid = [fit_level(y, x, step).log_likelihood for step in np.geomspace(1e-4, 10, 400)]
    assert fit_level(y, x).log_likelihood == pytest.approx(max(grid), abs=1e-3)
    # A gap is as good as values that were never there; a column twice has its effect once.
    y[20:25] = np.nan
    padded = fit_level(y, np.column_stack((x, x[:, 0])), q)
    assert padded.effects[0] + padded.effects[2] == pytest.approx(fit_level(y, x, q).effects[0], rel=1e-8)


def test_a_season_above_the_first_is_found_and_described():
    series, _, _ = days(1)
    (year,) = longer_seasons(np.array(series["jars"].values), 7, (365.25,))
    truth = 0.35 * np.sin(2 * np.pi * DAY[:730] / 365.25 + 1)
    assert year.relative and np.abs(year.at(DAY[:730].astype(float)) - truth).max() < 0.06
    assert year.gain > 2 * year.needed and 0.8 < year.strength <= 1.0
    flat, _, _ = days(1, swing=0.0)
    assert flat["jars"].seasons == (7.0,) and series["jars"].seasons == (7.0, 365.25)
    walk = np.random.default_rng(5).normal(size=730).cumsum()
    assert longer_seasons(walk, 7, (365.25,)) == ()
    assert len(longer_seasons(walk, 7, (365.25,), stated=True)) == 1
    assert longer_seasons(walk[:300], 7, (365.25,), stated=True) == ()


METHODS = (
    "smoothing",
    "holt-winters season=multiplicative damped=yes",
    "theta",
    "arima q=1",
    "trend-season",
    "bending-trend",
    "harmonic transform=log",
)


@pytest.mark.parametrize("text", METHODS)
def test_methods_with_a_season_see_the_year(text):
    series, future, _ = days(2)
    fitted = vx.fit(series, text)
    error = np.abs(fitted.forecast(180).points - future).mean()
    blind = vx.fit(vx.History.from_numbers(series["jars"].values, cadence="daily", start="2023-01-01", seasons=7), text)
    assert error < 0.7 * np.abs(blind.forecast(180).points - future).mean()
    assert "sin 365.25" in fitted.coefficients["name"].to_list() and "365.25" in fitted.in_words()
    held = (fitted.forecast(180, levels=[95]).frame.set_index("step").eval("lower_95 <= @future <= upper_95")).mean()
    assert held > 0.85
    table = fitted.contributions(30)
    if len(table.columns) > 3 and "log" not in text:
        assert table["total"].tail(30).to_numpy() == pytest.approx(fitted.forecast(30).points)
    again = vx.fit(series.first(700), text).apply(series)
    assert again.forecast(5).points == pytest.approx(fitted.forecast(5).points, rel=0.1)
    assert fitted.simulate(30, 400).mean(axis=0) == pytest.approx(fitted.forecast(30).points, rel=0.15)


def test_the_seasonal_naive_takes_the_longest_season_seen_twice():
    series, _, _ = days(3)
    y = series["jars"].values
    assert vx.fit(series, "seasonal-naive").forecast(5).points == pytest.approx(y[-364:-359])
    assert vx.fit(series.first(600), "seasonal-naive").forecast(5).points == pytest.approx(y[593:598])
    assert vx.fit(series.first(600), "seasonal-naive turns=1").forecast(5).points == pytest.approx(y[236:241])
    assert "364 days earlier" in vx.fit(series, "seasonal-naive").in_words()


def test_stated_seasons_are_used_and_kept():
    series, _, _ = days(4)
    table = series.to_frame()
    week = vx.History.from_frame(table, item="item", cadence="daily", seasons=(365.25, 7))
    assert week["jars"].seasons == (7.0, 365.25) and week["jars"].season_length == 7
    assert vx.fit(week, "theta").forecast(3).points == pytest.approx(vx.fit(series, "theta").forecast(3).points)
    followed = vx.fit(series, vx.differencing(series).method)
    assert followed.available and "365.25" in followed.in_words()
    assert (
        "365.25"
        not in vx.fit(vx.History.from_frame(table, item="item", cadence="daily", seasons=7), "theta").in_words()
    )
    short = vx.fit(week["jars"].first(300), "theta")
    assert "The stated season of 365.25 days cannot be told in this span; it is left in." in short.in_words()
    weeks = vx.History.from_frame(table, item="item", cadence="daily").at_cadence("weekly")
    assert weeks["jars"].season_length == 52 and weeks["jars"].turns.lengths == (365.25 / 7,)


@pytest.mark.parametrize("text", ["theta", "smoothing", "holt-winters season=additive", "moving-average window=28"])
def test_a_method_that_takes_no_drivers_sees_demand_without_their_effects(text):
    series, _, drivers = days(5, promo=0.5)
    fitted = vx.fit(series, text, drivers=drivers)
    row = fitted.coefficients.set_index("name").loc["promo"]
    assert row["value"] == pytest.approx(0.5, abs=0.1) and row["std_error"] < 0.06  # of logarithms: it multiplies
    x = drivers.over("jars", series["jars"].start + 730, 60)[:, 0]
    lifted, plain = (forecast.points for forecast in (fitted.forecast(60), vx.fit(series, text).forecast(60)))
    ratio = (lifted / plain)[x == 1].mean() / (lifted / plain)[x == 0].mean()
    assert ratio == pytest.approx(np.exp(row["value"]), rel=0.02)
    assert "promo multiplies demand by 1." in fitted.in_words()
    with pytest.raises(vx.VeridexError, match="naive forecasts from demand alone; leave them out, say drivers=all"):
        vx.fit(series, "naive", drivers=drivers)
    told = vx.fit(series, "naive drivers=all", drivers=drivers).forecast(60).points
    assert np.unique(np.round(told, 6)).size == 2


def test_effects_that_cannot_be_told_are_said():
    frame = pd.DataFrame({"period": np.arange(1, 21), "price": [3.0] * 14 + [4.0] * 6})
    drivers = vx.Drivers.from_frame(frame, cadence="counted", known_ahead="all")
    series = vx.History.from_numbers([5, 7, 6, 8, 7, 6, 5, 8, 9, 7, 6, 8, 7, 9], cadence="counted")
    fitted = vx.fit(series, "simple-smoothing", drivers=drivers)
    assert fitted.in_words().startswith("Effects of drivers and events cannot be told in this span")
    assert fitted.forecast(3).points == pytest.approx(vx.fit(series, "simple-smoothing").forecast(3).points)


def test_effects_add_where_demand_may_be_below_zero():
    rng = np.random.default_rng(6)
    x = (rng.random(132) < 0.2) * 1.0
    y = rng.normal(size=132).cumsum() + 9.0 * x
    series = vx.History.from_numbers(y[:120], cadence="counted")
    table = pd.DataFrame({"period": np.arange(1, 133), "promo": x})
    drivers = vx.Drivers.from_frame(table, cadence="counted", known_ahead="all")
    fitted = vx.fit(series, "simple-smoothing", drivers=drivers)
    points = fitted.forecast(12).points
    assert np.ptp(points[x[120:] == 0]) == pytest.approx(0.0, abs=1e-9)
    effect = fitted.coefficients.set_index("name").loc["promo"]
    assert abs(effect["value"] - 9.0) < 3 * effect["std_error"]
    assert points[x[120:] == 1] - points[x[120:] == 0][0] == pytest.approx(effect["value"])


@pytest.mark.parametrize(
    ("kind", "numbers"),
    [
        (Kind.NORMAL, (50.0, 6.0)),
        (Kind.STUDENT, (50.0, 6.0, 7.0)),
        (Kind.TRANSFORMED, (4.0, 0.2, 0.0, np.inf)),
        (Kind.TRANSFORMED, (8.0, 0.9, 0.4, np.inf)),
        (Kind.COMPOUND, (0.7, 20.0, 30.0)),
    ],
)
def test_a_law_of_a_multiple_has_multiples_for_its_quantiles(kind, numbers):
    law = np.zeros((1, 1, NUMBERS))
    put(law, kind, *numbers)
    shares, factor = np.array([[0.05, 0.3, 0.5, 0.8, 0.99]]), 1.7
    before = Laws.of(law.copy(), -np.inf, False).quantile(shares)
    rescaled(law, np.array([factor]))
    assert Laws.of(law, -np.inf, False).quantile(shares) == pytest.approx(factor * before, rel=1e-8)


def test_nothing_after_an_origin_reaches_the_seasons_before_it():
    series, _, drivers = days(7, promo=0.4)
    y = np.array(series["jars"].values)
    other = y.copy()
    other[600:] = np.random.default_rng(8).integers(0, 900, size=130)
    scheme = vx.RollingOrigin(horizon=30, origins=2, stride=101)
    lineup = ["seasonal-naive", "naive", "theta", "harmonic", "arima d=1 q=1"]
    trials = [
        vx.backtest(
            vx.History.from_numbers(values, cadence="daily", start="2023-01-01", item="jars"),
            lineup,
            scheme,
            drivers=drivers,
        )
        for values in (y, other)
    ]
    first = [trial.errors.query("origin == origin.min()")["forecast"].to_numpy() for trial in trials]
    assert first[0].tobytes() == first[1].tobytes()
