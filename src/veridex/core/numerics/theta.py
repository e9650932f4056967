"""The theta method as a state-space model: its level by simple smoothing, its slope from a line through all values.

Fiorucci, Pellegrini, Louzada, Petropoulos and Koehler (2016), International Journal of Forecasting 32, 1151-1161:

    forecast[t] = l[t-1] + w ((1 - alpha)^(t-1) A + (1 - (1 - alpha)^t) / alpha B),   w = 1 - 1 / theta,

with the level l of simple smoothing and the least-squares line A + B t; t counts from 1. Forecasts are linear in the
starting level and in w, so that given alpha both follow from least squares, and alpha alone is searched.
"""

import math

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel

__all__ = ["estimate_theta", "replay_theta"]

ALPHA, LEVEL, WEIGHT, INTERCEPT, SLOPE, VARIANCE, ENTRIES = 0, 1, 2, 3, 4, 5, 6
"""A parameter row."""

GRID = 24

SMALLEST = 1e-3


@kernel
def _line(y: FloatArray, row: FloatArray) -> int:
    """Put the least-squares line through the known values into the row; return their number."""
    count, mean_t, mean_y = 0, 0.0, 0.0
    for t in range(y.size):
        if not math.isnan(y[t]):
            count += 1
            mean_t += t + 1.0
            mean_y += y[t]
    mean_t /= count
    mean_y /= count
    cross, square = 0.0, 0.0
    for t in range(y.size):
        if not math.isnan(y[t]):
            cross += (t + 1.0 - mean_t) * (y[t] - mean_y)
            square += (t + 1.0 - mean_t) ** 2
    row[SLOPE] = cross / square if square > 0.0 else 0.0
    row[INTERCEPT] = mean_y - row[SLOPE] * mean_t
    return count


@kernel
def _given_alpha(y: FloatArray, alpha: float, free: bool, row: FloatArray) -> float:
    """Best starting level (and w, where it is free) for an alpha, into the row; return the sum of squared errors."""
    level, by_level, by_weight = 0.0, 1.0, 0.0
    decay = 1.0
    yy, yl, yw, ll, lw, ww = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    fixed = 0.0 if free else row[WEIGHT]
    for t in range(y.size):
        part = decay * row[INTERCEPT] + (1.0 - decay * (1.0 - alpha)) / alpha * row[SLOPE]
        # The forecast is level + by_level l0 + by_weight w + part w.
        ahead = level + fixed * part
        slant = by_weight + (part if free else 0.0)
        if math.isnan(y[t]):
            level += alpha * fixed * part
            by_weight += alpha * (part if free else 0.0)
        else:
            rest = y[t] - ahead
            yy += rest * rest
            yl += rest * by_level
            yw += rest * slant
            ll += by_level * by_level
            lw += by_level * slant
            ww += slant * slant
            level += alpha * (y[t] - level)
            by_level *= 1.0 - alpha
            by_weight *= 1.0 - alpha
        decay *= 1.0 - alpha
    weight = 0.0
    if free:
        determinant = ll * ww - lw * lw
        if determinant > 1e-12 * ll * ww:
            weight = (ll * yw - lw * yl) / determinant
        # theta from one (no slope) upwards
        weight = min(max(weight, 0.0), 1.0)
        row[WEIGHT] = weight
    row[ALPHA] = alpha
    row[LEVEL] = (yl - weight * lw) / ll
    start = row[LEVEL]
    total = yy - 2.0 * (start * yl + weight * yw) + start * start * ll + 2.0 * start * weight * lw
    total += weight * weight * ww
    return total if total > 0.0 else 0.0


@kernel
def estimate_theta(y: FloatArray, alpha: float, free: bool, row: FloatArray) -> float:
    """Estimate by least squares one step ahead; return the sum of squared errors.

    Parameters
    ----------
    y : ndarray, shape (n,)
        Without a season, first value known; NaN is passed over at its expectation.
    alpha : float
        Stated, or NaN to be searched in [0.001, 1].
    free : bool
        Whether theta is estimated, from one upwards; otherwise it is two.
    row : ndarray, shape (ENTRIES,)
        Filled with alpha, starting level, w, line, variance (zero: the caller knows the degrees of freedom).
    """
    _line(y, row)
    row[WEIGHT], row[VARIANCE] = 0.5, 0.0
    if not math.isnan(alpha):
        return _given_alpha(y, max(alpha, SMALLEST), free, row)
    best, best_value = 0, np.inf
    for i in range(GRID + 1):
        value = _given_alpha(y, max(i / GRID, SMALLEST), free, row)
        if value < best_value:
            best, best_value = i, value
    # Golden sections around the best of the grid.
    low, high = max((best - 1.0) / GRID, SMALLEST), min((best + 1.0) / GRID, 1.0)
    share = 0.5 * (math.sqrt(5.0) - 1.0)
    left, right = high - share * (high - low), low + share * (high - low)
    at_left, at_right = _given_alpha(y, left, free, row), _given_alpha(y, right, free, row)
    for _ in range(30):
        if at_left < at_right:
            high, right, at_right = right, left, at_left
            left = high - share * (high - low)
            at_left = _given_alpha(y, left, free, row)
        else:
            low, left, at_left = left, right, at_right
            right = low + share * (high - low)
            at_right = _given_alpha(y, right, free, row)
    inside = _given_alpha(y, 0.5 * (low + high), free, row)
    if best_value < inside:
        return _given_alpha(y, max(best / GRID, SMALLEST), free, row)
    return inside


@kernel
def replay_theta(y: FloatArray, row: FloatArray, fitted: FloatArray, points: FloatArray, std_error: FloatArray) -> None:
    """Run given parameters over `y` and forecast; standard error at lead h ``sigma sqrt(1 + (h - 1) alpha^2)``."""
    alpha, weight, level = row[ALPHA], row[WEIGHT], row[LEVEL]
    decay = 1.0
    for t in range(y.size):
        part = decay * row[INTERCEPT] + (1.0 - decay * (1.0 - alpha)) / alpha * row[SLOPE]
        fitted[t] = level + weight * part
        level += alpha * ((fitted[t] if math.isnan(y[t]) else y[t]) - level)
        decay *= 1.0 - alpha
    part = decay * row[INTERCEPT] + (1.0 - decay * (1.0 - alpha)) / alpha * row[SLOPE]
    for h in range(points.size):
        points[h] = level + weight * (part + h * row[SLOPE])
        std_error[h] = math.sqrt(row[VARIANCE] * (1.0 + h * alpha * alpha))
