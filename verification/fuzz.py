"""Hostile histories through every method of this page: numbers or a reason, no warning, no growing memory."""

import resource
import warnings

import numpy as np

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
