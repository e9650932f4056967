"""Regression on a straight trend and period dummies, with its forecasts."""

import math

import numpy as np

from veridex.core.numerics.compiled import FloatArray, kernel
from veridex.core.numerics.least_squares import least_squares, triangular_inverse

__all__ = ["estimate_trend_dummies", "replay_trend_dummies"]


@kernel
def _fill(line: FloatArray, t: int, m: int) -> None:
    """Put the regressors of period t into `line`: one, time from 1, dummies of all phases but the first."""
    line[:] = 0.0
    line[0] = 1.0
    line[1] = t + 1.0
    if t % m > 0:
        line[1 + t % m] = 1.0


@kernel
def estimate_trend_dummies(y: FloatArray, m: int, row: FloatArray, factor: FloatArray, stats: FloatArray) -> bool:
    """Least squares of `y` on an intercept, time and m - 1 period dummies.

    Parameters
    ----------
    y : ndarray, shape (n,)
        Oldest first; unknown values (NaN) are left out.
    m : int
        Cycle length; 1 for a trend alone.
    row : ndarray, shape (m + 2,)
        Filled with intercept, slope per period, dummies of phases 1 to m - 1 against phase 0, and the
        variance (residual sum over n - k).
    factor : ndarray, shape (m + 1, m + 1)
        Filled with R^-1: the coefficients' covariance is variance * R^-1 R^-T.
    stats : ndarray, shape (4,)
        Filled with log-likelihood, values used, quantities estimated (variance included), iterations (0).

    Returns
    -------
    bool
        False where values are too few or a period of the cycle was never observed.
    """
    k = m + 1
    n = 0
    for t in range(y.size):
        n += not math.isnan(y[t])
    if n <= k:
        return False
    design = np.empty((n, k))
    target = np.empty(n)
    i = 0
    for t in range(y.size):
        if not math.isnan(y[t]):
            _fill(design[i], t, m)
            target[i] = y[t]
            i += 1
    total = least_squares(design, target, row[:k])
    if total < 0.0:
        return False
    triangular_inverse(design, factor)
    row[k] = total / (n - k)
    stats[0] = -0.5 * n * (math.log(2.0 * math.pi * max(total / n, 1e-300)) + 1.0)
    stats[1] = n
    stats[2] = k + 1
    stats[3] = 0
    return True


@kernel
def replay_trend_dummies(
    n: int,
    m: int,
    row: FloatArray,
    factor: FloatArray,
    fitted: FloatArray,
    points: FloatArray,
    stderr: FloatArray,
) -> None:
    """Fitted values of the first n periods and forecasts of those after, with the closed-form standard error.

    The standard error holds the noise of the new value and the uncertainty of all coefficients:
    sqrt(variance * (1 + x' (X'X)^-1 x)).

    References
    ----------
    .. [1] Seber and Lee (2003), Linear Regression Analysis, 2nd ed., section 5.3.1.
    """
    k = m + 1
    x = np.empty(k)
    for t in range(n + points.size):
        _fill(x, t, m)
        value = 0.0
        for j in range(k):
            value += x[j] * row[j]
        if t < n:
            fitted[t] = value
            continue
        leverage = 0.0
        for j in range(k):
            part = 0.0
            for i in range(j + 1):
                part += factor[i, j] * x[i]
            leverage += part * part
        points[t - n] = value
        stderr[t - n] = math.sqrt(row[k] * (1.0 + leverage))
