"""Kernels of the naive family: a fold in one call, estimates and forecasts.

Formulas are those of `veridex.core.methods.naive.benchmarks`; NaN in demand is unknown, its first value is known.
"""

import math

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel

__all__ = [
    "closed",
    "drift_ahead",
    "estimate_drift",
    "estimate_mean",
    "estimate_naive",
    "estimate_seasonal_naive",
    "mean_ahead",
    "naive_ahead",
    "seasonal_naive_ahead",
    "told",
]


@kernel
def closed(points: FloatArray, std_error: FloatArray, y: FloatArray, floor: float) -> bool:
    """Raise points to the floor, NaN for that which values show, and say whether all of a forecast is finite."""
    lowest = 0.0
    for h in range(points.size):
        if not (math.isfinite(points[h]) and math.isfinite(std_error[h])):
            return False
        lowest = min(lowest, points[h])
    if math.isnan(floor):
        if lowest >= 0.0:
            return True
        for t in range(y.size):
            if y[t] < 0.0:
                return True
        floor = 0.0
    for h in range(points.size):
        points[h] = max(points[h], floor)
    return True


@kernel
def told(y: FloatArray) -> tuple[int, float, float]:
    """How many values are known, the lowest and the highest of them."""
    count, lowest, highest = 0, np.inf, -np.inf
    for t in range(y.size):
        if not math.isnan(y[t]):
            count += 1
            lowest, highest = min(lowest, y[t]), max(highest, y[t])
    return count, lowest, highest


@kernel
def _likelihood(variance: float, used: int, estimated: int, stats: FloatArray) -> None:
    """Gaussian log-likelihood of independent errors with a maximum-likelihood variance."""
    stats[0] = -0.5 * used * (math.log(2.0 * math.pi * variance) + 1.0) if variance > 0.0 else np.nan
    stats[1], stats[2], stats[3] = used, estimated, 0.0


@kernel
def estimate_mean(y: FloatArray, row: FloatArray, stats: FloatArray) -> bool:
    """Mean, variance and number of known values; whether there are two."""
    count, total = 0, 0.0
    for t in range(y.size):
        if not math.isnan(y[t]):
            count += 1
            total += y[t]
    if count < 2:
        return False
    mean, squares = total / count, 0.0
    for t in range(y.size):
        if not math.isnan(y[t]):
            squares += (y[t] - mean) ** 2
    row[0], row[1], row[2] = mean, squares / (count - 1), count
    _likelihood(squares / count, count, 2, stats)
    return True


@kernel
def mean_ahead(row: FloatArray, fitted: FloatArray, points: FloatArray, std_error: FloatArray) -> None:
    """The mean, inside the span and after it."""
    spread = math.sqrt(row[1] * (1.0 + 1.0 / row[2]))
    for t in range(fitted.size):
        fitted[t] = row[0]
    for h in range(points.size):
        points[h], std_error[h] = row[0], spread


@kernel
def estimate_naive(y: FloatArray, row: FloatArray, stats: FloatArray) -> bool:
    """Variance of a change; whether there is one."""
    count, last, squares = 0, -1, 0.0
    for t in range(y.size):
        if not math.isnan(y[t]):
            if last >= 0:
                count += 1
                squares += (y[t] - y[last]) ** 2 / (t - last)
            last = t
    if count < 1:
        return False
    row[0] = squares / count
    _likelihood(row[0], count, 1, stats)
    return True


@kernel
def _carried(y: FloatArray, drift: float, fitted: FloatArray, points: FloatArray) -> int:
    """Carry the last known value forward along a drift; how many unknown periods came after it."""
    fitted[0] = np.nan
    last = 0
    for t in range(y.size):
        if t > 0:
            fitted[t] = y[last] + drift * (t - last)
        if not math.isnan(y[t]):
            last = t
    gap = y.size - 1 - last
    for h in range(points.size):
        points[h] = y[last] + drift * (gap + h + 1.0)
    return gap


@kernel
def naive_ahead(y: FloatArray, row: FloatArray, fitted: FloatArray, points: FloatArray, std_error: FloatArray) -> None:
    """Carry the last known value forward."""
    gap = _carried(y, 0.0, fitted, points)
    for h in range(points.size):
        std_error[h] = math.sqrt(row[0] * (gap + h + 1.0))


@kernel
def estimate_drift(y: FloatArray, row: FloatArray, stats: FloatArray) -> bool:
    """Drift per period, variance around it, periods from the first to the last known value; whether there are two."""
    count, first, last = 0, -1, -1
    for t in range(y.size):
        if not math.isnan(y[t]):
            if first < 0:
                first = t
            count += 1
            last = t
    if count < 3:
        return False
    drift, squares, before = (y[last] - y[first]) / (last - first), 0.0, first
    for t in range(first + 1, last + 1):
        if not math.isnan(y[t]):
            squares += (y[t] - y[before] - drift * (t - before)) ** 2 / (t - before)
            before = t
    row[0], row[1], row[2] = drift, squares / (count - 2), last - first
    _likelihood(squares / (count - 1), count - 1, 2, stats)
    return True


@kernel
def drift_ahead(y: FloatArray, row: FloatArray, fitted: FloatArray, points: FloatArray, std_error: FloatArray) -> None:
    """Carry the last known value forward along the drift."""
    gap = _carried(y, row[0], fitted, points)
    for h in range(points.size):
        reach = gap + h + 1.0
        std_error[h] = math.sqrt(row[1] * reach * (1.0 + reach / row[2]))


@kernel
def estimate_seasonal_naive(y: FloatArray, season: int, row: FloatArray, stats: FloatArray) -> bool:
    """Variance of a change over the season; whether there is one, and each period was seen."""
    count, squares = 0, 0.0
    for t in range(season, y.size):
        if not math.isnan(y[t] - y[t - season]):
            count += 1
            squares += (y[t] - y[t - season]) ** 2
    if count < 1:
        return False
    for k in range(season):
        if _seen(y, season, k) < 0:
            return False
    row[0], row[1] = squares / count, season
    _likelihood(row[0], count, 1, stats)
    return True


@kernel
def _seen(y: FloatArray, season: int, k: int) -> int:
    """Where the k-th period after the last was seen last, a season or more before; below zero if never."""
    t = y.size - season + k
    while t >= 0 and math.isnan(y[t]):
        t -= season
    return t


@kernel
def seasonal_naive_ahead(
    y: FloatArray, row: FloatArray, fitted: FloatArray, points: FloatArray, std_error: FloatArray
) -> None:
    """Repeat the last known value of each period of the season."""
    season, n = int(row[1]), y.size
    for t in range(n):
        fitted[t] = y[t - season] if t >= season else np.nan
    for h in range(points.size):
        at = _seen(y, season, h % season)
        points[h] = y[at]
        std_error[h] = math.sqrt(row[0] * ((n + h - at) // season))
