"""Bounds of fitted values, series restated, seasons in shape, parts of many items, the clock of a fit."""

import subprocess
import sys

import numpy as np
import pytest
from scipy.stats import norm, t

import veridex as vx
from conftest import METHODS, drivers_of, monthly, portfolio, seasonal_values
from veridex.core.diagnosis.season_shape import level_around, season_shape


@pytest.mark.parametrize("text", METHODS)
def test_fitted_values_have_bounds_that_hold_about_what_they_claim(text):
    fitted = vx.fit(monthly(seasonal_values(7)), text)
    table = fitted.to_frame((50, 95))
    known = table[table["upper_95"].notna()]
    assert table["forecast"].to_numpy() == pytest.approx(fitted.fitted_values, nan_ok=True)
    assert table["error"].to_numpy() == pytest.approx(fitted.residuals, nan_ok=True)
    assert len(known) >= table["forecast"].notna().sum() - 24
    assert (known["lower_95"] <= known["lower_50"]).all() and (known["upper_50"] <= known["upper_95"]).all()
    inside = (known["actual"] >= known["lower_95"]) & (known["actual"] <= known["upper_95"])
    assert inside.mean() > 0.8, inside.mean()
    percent = 100 * table["error"] / table["actual"]
    assert table["percent_error"].to_numpy() == pytest.approx(percent.to_numpy(), nan_ok=True)


def test_bounds_of_a_random_walk_are_those_of_its_changes():
    y = np.random.default_rng(1).normal(size=60).cumsum() + 50
    fitted = vx.fit(vx.History.from_numbers(y, cadence="counted", floor="none"), "naive")
    table = fitted.to_frame(80)
    spread = float(np.sqrt(np.mean(np.diff(y) ** 2)))
    assert table["std_error"].iloc[1:].to_numpy() == pytest.approx(spread, rel=0.02)
    half = (table["upper_80"] - table["forecast"]).iloc[1:]
    widest = spread * max(norm.ppf(0.9), t.ppf(0.9, 58))
    assert half.to_numpy() == pytest.approx(widest, rel=0.03) and half.std() < 1e-9  # as wide early as late


def test_fitted_values_with_a_driver_have_bounds_too():
    rng = np.random.default_rng(2)
    x = rng.normal(size=52)
    history = vx.History.from_numbers(20 + 4 * x[:50] + 0.1 * rng.normal(size=50), cadence="counted")
    fitted = vx.fit(history, "driver-regression", drivers=drivers_of([x]))
    table = fitted.to_frame(95)
    assert (table["upper_95"] - table["lower_95"]).median() == pytest.approx(2 * 1.96 * 0.1, rel=0.3)
    lost = vx.fit(monthly([1.0, 2.0]), "holt").to_frame()
    assert lost["forecast"].isna().all() and lost["lower_80"].isna().all()


@pytest.mark.parametrize(("transform", "d", "D"), [("none", 1, 0), ("log", 0, 1), ("box-cox", 1, 1), ("log", 2, 0)])
def test_tests_and_correlograms_of_a_series_restated_are_those_of_its_values(transform, d, D):
    series = monthly(seasonal_values(4))["smoker-01"]
    y = np.array(series.values)
    if transform == "log":
        y = np.log(y)
    elif transform == "box-cox":
        y = vx.stationarity(series, transform=transform) and _box_cox(series)
    for _ in range(D):
        y = y[12:] - y[:-12]
    for _ in range(d):
        y = np.diff(y)
    own = vx.stationarity(series, transform=transform, d=d, D=D)
    plain = vx.stationarity(monthly(y))
    assert [one.statistic for one in own.outcomes] == pytest.approx([one.statistic for one in plain.outcomes])
    corr = vx.correlogram(series, 20, transform=transform, d=d, D=D)
    assert corr.acf == pytest.approx(vx.correlogram(monthly(y), 20).acf)
    below = monthly(seasonal_values(4) - 200.0)
    assert "needs demand above zero" in vx.stationarity(below, transform="log").outcomes[0].reason
    assert "needs demand above zero" in vx.correlogram(below, transform="log").reason
    with pytest.raises(vx.VeridexError, match="no season to take differences over"):
        vx.stationarity(vx.History.from_numbers([1.0, 2, 4], cadence="counted"), D=1)


def _box_cox(series):
    from veridex.core.diagnosis.transform import likeliest_power

    power = likeliest_power(series.values, 12)
    return np.log(series.values) if power == 0 else (series.values**power - 1) / power


def test_the_shape_of_a_season_is_what_is_left_without_the_level():
    rng = np.random.default_rng(0)
    t_, week = np.arange(7 * 40), np.array([1.4, 1.1, 1.0, 1.0, 1.1, 0.9, 0.5])
    daily = vx.History.from_numbers(200 * week[t_ % 7] * (1 + t_ / 400), start="2024-01-01", cadence="daily")
    one = daily["demand"]
    shape = season_shape(one, 7, one.start, one.start + len(one), 60)
    assert shape.names == ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun") and shape.relative
    assert shape.median == pytest.approx(100 * week / week.mean(), rel=0.02) and len(shape.begins) == 40
    spiked = np.array(one.values)
    spiked[100] *= 50
    other = season_shape(one.with_values(spiked), 7, one.start, one.start + len(one), 60)
    assert other.median == pytest.approx(shape.median, rel=0.02)  # an outlier bends neither level nor profile
    line = 3.0 * np.arange(50.0) + 7
    assert level_around(line, 12) == pytest.approx(line)  # also at its ends
    gaps = np.where(rng.random(50) < 0.2, np.nan, line)
    assert np.abs(level_around(gaps, 12) - line).max() < 12
    hours = vx.History.from_numbers(np.arange(24 * 21.0) % 24, start="2024-03-04T00:00", cadence="hourly")["demand"]
    names = season_shape(hours, 168, hours.start, hours.start + len(hours), 60).names
    assert len(names) == 56 and names[:2] == ("Mon 00:00", "Mon 03:00")
    years = season_shape(monthly(seasonal_values(1), start="2018-05")["smoker-01"], 12, 0, 10**6, 60)
    assert years.names[:3] == ("Jan", "Feb", "Mar") and years.begins[0] == "2018"
    frame = years.to_frame()
    assert (frame["lowest"] <= frame["median"]).all() and (frame["upper"] <= frame["highest"]).all()
    assert season_shape(one, 1, 0, 10, 60) is None


def test_many_items_are_split_at_once():
    history = portfolio(4)
    found = vx.decompose(history, form="auto")
    assert len(found) == 4 and [one.series.item for one in found] == list(history.names)
    for item in history.names:
        alone = vx.decompose(history[item], form="auto")
        assert found[item].trend == pytest.approx(alone.trend, nan_ok=True)
        wanted = "additive" if vx.differencing(history[item]).transform == "none" else "multiplicative"
        assert found[item].form == alone.form == wanted
    table = found.to_frame()
    assert len(table) == sum(map(len, history)) and table["item"].nunique() == 4
    assert list(found.strengths.columns) == ["item", "form", "trend", "season_12", "reason"]
    with pytest.raises(vx.VeridexError, match="no item"):
        found["item-9"]
    assert isinstance(vx.decompose(history.only("item-1")), vx.Decomposition)


def test_the_time_of_a_first_fit_is_without_loading_code():
    lines = (
        "import time, numpy as np, veridex as vx",
        "history = vx.History.from_numbers(np.random.default_rng(1).normal(size=200).cumsum(), cadence='counted')",
        "begun = time.perf_counter()",
        "first = vx.fit(history, 'arima p=3').milliseconds",
        "print(first, 1e3 * (time.perf_counter() - begun), vx.fit(history, 'arima p=3').milliseconds)",
    )
    done = subprocess.run([sys.executable, "-c", "\n".join(lines)], capture_output=True, text=True, check=True)
    first, wall, second = map(float, done.stdout.split())
    assert first < 0.25 * wall and first < 100 * second  # most of what went by was loading
