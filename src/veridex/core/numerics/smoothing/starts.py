"""Where a search for the best smoothing constants starts from: heuristic starting states.

Symbols and parameter rows are those of `smoothing`.
"""

import math

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.smoothing.recursion import ADDITIVE, LEVEL, NONE, SLOPE, STARTS

__all__ = ["bridge_unknown", "heuristic_starts", "seasonal_means"]

TURNS_FOR_SEASON = 8
"""Seasons from which the starting season is told. Measured among 2, 3, 5 and 8: docs/verification.md, Constants."""


@kernel
def bridge_unknown(y: FloatArray, filled: FloatArray) -> None:
    """Copy `y` with straight lines over unknown values; the starting values alone are taken from it."""
    last = -1
    for t in range(y.size):
        filled[t] = y[t]
        if math.isnan(y[t]):
            continue
        for gap in range(last + 1, t):
            if last < 0:
                filled[gap] = y[t]
            else:
                filled[gap] = y[last] + (y[t] - y[last]) * (gap - last) / (t - last)
        last = t
    for gap in range(last + 1, y.size):
        filled[gap] = y[last]


@kernel
def seasonal_means(y: FloatArray, filled: FloatArray, n: int, season: int, m: int, s: FloatArray) -> None:
    """Classical decomposition of the first n values: means by phase of what a centred average leaves.

    The average is that of `filled`, in which unknown values are bridged; they are left out of the means. The phases of
    an additive season sum to zero, those of a multiplicative one have the mean one.
    """
    half = m // 2
    counts = np.zeros(m)
    s[:m] = 0.0
    for t in range(half, n - half):
        if math.isnan(y[t]):
            continue
        if m % 2 == 1:
            average = 0.0
            for k in range(t - half, t + half + 1):
                average += filled[k]
        else:
            average = 0.5 * (filled[t - half] + filled[t + half])
            for k in range(t - half + 1, t + half):
                average += filled[k]
        average /= m
        s[t % m] += y[t] - average if season == ADDITIVE else y[t] / average
        counts[t % m] += 1.0
    centre = 0.0
    for j in range(m):
        s[j] /= counts[j]
        centre += s[j] / m
    for j in range(m):
        s[j] = s[j] - centre if season == ADDITIVE else s[j] / centre


@kernel
def _line(y: FloatArray, n: int) -> tuple[float, float]:
    """Mean and slope of the first n values over time."""
    middle = 0.5 * (n - 1)
    mean = 0.0
    for t in range(n):
        mean += y[t] / n
    cross, square = 0.0, 0.0
    for t in range(n):
        cross += (t - middle) * (y[t] - mean)
        square += (t - middle) ** 2
    return mean, cross / square if n > 1 else 0.0


@kernel
def heuristic_starts(y: FloatArray, trend: int, season: int, m: int, row: FloatArray) -> None:
    """Put starting level, slope and season into `row`: a line through the first values, adjusted for season."""
    n = y.size
    adjusted = np.empty(n)
    bridge_unknown(y, adjusted)
    s = row[STARTS : STARTS + m]
    s[:] = 0.0
    if season != NONE:
        seasonal_means(adjusted, adjusted, min(n, TURNS_FOR_SEASON * m), season, m, s)
        for t in range(n):
            adjusted[t] = adjusted[t] - s[t % m] if season == ADDITIVE else adjusted[t] / s[t % m]
    span = min(n, max(10, 2 * m))
    mean, slope = _line(adjusted, span)
    row[SLOPE] = 0.0
    row[LEVEL] = mean
    if trend != NONE:
        row[SLOPE] = slope
        row[LEVEL] = mean - slope * 0.5 * (span + 1)
