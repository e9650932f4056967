"""Hostile histories through every method of this page: numbers or a reason, no warning, no growing memory."""

import resource
import warnings

import numpy as np
import pandas as pd

import veridex as vx

HISTORIES = 5000
METHODS = (
    *("mean", "naive", "seasonal-naive", "drift", "last-change", "seasonal-mean", "moving-average window=2"),
    *("moving-average weights=[2, 1]", "simple-smoothing", "simple-smoothing error=multiplicative", "holt"),
    *("holt damped=yes error=multiplicative", "holt-winters", "holt-winters damped=yes error=multiplicative"),
    *("holt-winters season=multiplicative", "holt-winters constants=stable", "holt-winters estimate_starts=all"),
    *("holt intervals=with-estimation", "smoothing", "smoothing average=yes", "smoothing seasons=[2, 3]", "theta"),
    *("theta optimised=yes season=multiplicative", "croston", "sba", "tsb"),
    *("combination of=[naive, theta, tsb] weights=trimmed", "combination of=[mean, holt] weights=[1, 2]"),
)


def history(rng: np.random.Generator) -> np.ndarray:
    """One of the kinds that break programs."""
    n = int(rng.choice([1, 2, 3, 4, 5, 9, 30, 60]))
    kind = rng.integers(9)
    y = rng.normal(size=n)
    if kind == 0:
        y = np.full(n, rng.choice([7.0, -3.0, 1e12, 1e-12]))
    elif kind == 1:
        y = np.zeros(n)
    elif kind == 2:
        y = np.zeros(n)
        y[rng.integers(n)] = 10.0 ** rng.integers(-12, 13)
    elif kind == 3:
        y = np.abs(y) + 0.1
    elif kind == 4:
        y = 10.0 ** rng.integers(-12, 13) * (10 + y)
    elif kind == 5:
        y = np.cumsum(np.cumsum(y))
    elif kind == 6:
        y = (rng.random(n) < 0.2) * rng.integers(1, 9, n).astype(float)
    elif kind == 7:
        y = np.arange(n) * 10.0 ** rng.integers(-12, 13)
    if rng.random() < 0.4:
        y = y.copy()
        y[rng.random(n) < 0.3] = np.nan
        if rng.random() < 0.5:
            y[[0, -1]] = np.nan
    return y


def main() -> None:
    warnings.simplefilter("error")
    rng = np.random.default_rng(3)
    ends, broken, before = {"forecast": 0, "reason": 0}, [], 0
    for i in range(HISTORIES):
        y, text = history(rng), METHODS[i % len(METHODS)]
        series = vx.History.from_numbers([*y, np.nan], cadence="counted", seasons=int(rng.choice([1, 4, 12])))
        try:
            fitted = vx.fit(series, text)
            forecast = fitted.forecast(5)
            fine = np.isfinite(forecast.points).all() and (forecast.std_error >= 0).all()
            fine = fine and (forecast.lower <= forecast.upper).all()
            said = bool(fitted.reason) and np.isnan(forecast.points).all()
            if fitted.available and fine and fitted.in_words() and fitted.equation():
                ends["forecast"] += 1
            elif not fitted.available and said:
                ends["reason"] += 1
            else:
                broken.append((text, y[:6]))
        except Exception as problem:
            broken.append((text, problem, y[:6]))
        if i == HISTORIES // 5:
            before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
    print(f"{HISTORIES} histories: {ends['forecast']} forecasts, {ends['reason']} reasons, {len(broken)} broken.")
    print(f"Peak memory after the first fifth grew by {grown / 1024:.1f} MB.")
    for one in broken[:20]:
        print("broken:", *one)
    seasons_and_drivers()


SEASONAL = (
    *("seasonal-naive turns=1", "theta", "smoothing transform=log", "holt-winters season=multiplicative damped=yes"),
    *("arima d=1 q=1", "arima q=1 keep=chosen", "trend-season", "harmonic", "bending-trend", "driver-regression"),
    *("naive drivers=all", "tsb drivers=all", "smoothing seasons=[4, 9.5]", "combination of=[theta, naive, smoothing]"),
)


def seasons_and_drivers() -> None:
    """Print how many hostile histories with several seasons, and with drivers of any size, end in neither way."""
    rng, broken, forecasts = np.random.default_rng(5), [], 0
    for i in range(HISTORIES // 5):
        y, text = np.resize(history(rng), int(rng.integers(1, 140))), SEASONAL[i % len(SEASONAL)]
        stated = (None, (4, 9.5), (4.5,), (1,), (7.0, 30.4))[rng.integers(5)]
        cadence = ("daily", "weekly", "hourly", "workday")[rng.integers(4)]
        made = vx.History.from_numbers(y, cadence=cadence, start="2022-01-03", seasons=stated)
        series = made["demand"]
        drivers = None if text.startswith("seasonal") else _drivers(rng, series)
        try:
            fitted = vx.fit(series, text, drivers=drivers)
            forecast = fitted.forecast(6)
            fine = np.isfinite(forecast.points).all() if fitted.available else bool(fitted.reason)
            said = (
                fitted.in_words(),
                fitted.equation(),
                fitted.coefficients,
                fitted.contributions(3),
                vx.profile(made),
            )
            also = (vx.seasons(series), vx.differencing(series), vx.breaks(series), vx.decompose(series))
            if not (fine or forecast.reason) or None in (*said[:2], *also[:1]):
                broken.append((text, y[:6]))
            forecasts += fitted.available
        except vx.VeridexError:
            continue  # a driver that mirrors demand, no item left: one clear error
        except Exception as problem:
            broken.append((text, problem, y[:6]))
    print(f"{HISTORIES // 5} with several seasons and drivers: {forecasts} forecasts, {len(broken)} broken.")
    for one in broken[:10]:
        print(one)


def _drivers(rng: np.random.Generator, series: vx.ItemHistory) -> vx.Drivers:
    """A number of any size, a promotion, a constant and a line; the first is known ahead."""
    n = len(series) + 9
    table = {
        "a": rng.normal(size=n) * 10.0 ** rng.integers(-6, 7),
        "b": (rng.random(n) < 0.1) * 1.0,
        "c": np.full(n, 3.0),
        "d": np.arange(n, dtype=float),
    }
    periods = series.cadence.starts(np.arange(series.start, series.start + n))
    frame = pd.DataFrame({"period": periods, **table})
    return vx.Drivers.from_frame(frame, cadence=series.cadence.name, known_ahead=["a"])
