"""ARIMA models on top of ARMA ones: differencing, and forecasts that undo it.

Symbols and parameter rows are those of `arma`.
"""

import math

import numpy as np

from veridex.core.numerics.arma import whiten
from veridex.core.numerics.compiled import FloatArray, kernel

__all__ = ["difference", "replay_arima"]


@kernel
def difference(y: FloatArray, d: int) -> FloatArray:
    """Difference `y` (n,) d times; the result has n - d values."""
    z = y.copy()
    for _ in range(d):
        z = z[1:] - z[:-1]
    return z


@kernel
def replay_arima(
    y: FloatArray,
    d: int,
    p: int,
    q: int,
    row: FloatArray,
    fitted: FloatArray,
    points: FloatArray,
    stderr: FloatArray,
) -> bool:
    """Run given coefficients over `y` and forecast from its end by the exact finite-sample predictor.

    Parameters
    ----------
    y : ndarray, shape (n,)
        No NaN.
    d, p, q : int
    row : ndarray, shape (p + q + 2,)
        As `estimate_arma` fills it.
    fitted : ndarray, shape (n,)
        Filled with one-step forecasts; the first d have none and are NaN.
    points, stderr : ndarray, shape (horizon,)
        Filled with the mean and, from the psi weights of the whole model with its differencing, the standard
        deviation of demand at each lead time, given the coefficients.

    Returns
    -------
    bool
        False where the coefficients are not stationary.

    References
    ----------
    .. [1] Brockwell and Davis (1991), Time Series: Theory and Methods, 2nd ed., sections 5.3 and 9.5.
    """
    n, horizon = y.size, points.size
    phi, theta = row[:p].copy(), row[p : p + q].copy()
    mean, variance = row[p + q], row[p + q + 1]
    z = difference(y, d)
    columns = np.empty((1, n - d))
    for t in range(n - d):
        columns[0, t] = z[t] - mean
    scaled = np.empty((1, n - d))
    top = max(p, q)
    ahead = np.zeros((1, top))
    roots = np.empty(n - d)
    if not math.isfinite(whiten(phi, theta, columns, scaled, roots, ahead)):
        return False
    fitted[:d] = np.nan
    for t in range(n - d):
        fitted[t + d] = y[t + d] - scaled[0, t] * roots[t]
    future = np.empty(horizon)
    for h in range(horizon):
        future[h] = ahead[0, h] if h < top else 0.0
        for j in range(p):
            back = h - 1 - j
            if back >= 0:
                future[h] += phi[j] * future[back]
            elif n - d + back >= 0:
                future[h] += phi[j] * columns[0, n - d + back]
    for h in range(horizon):
        points[h] = future[h] + mean
    for order in range(d - 1, -1, -1):
        level = difference(y, order)[-1]
        for h in range(horizon):
            level += points[h]
            points[h] = level
    # psi weights of theta(B) / (phi(B) (1 - B)^d), a factor after the other.
    psi = np.zeros(horizon)
    for h in range(horizon):
        psi[h] = 1.0 if h == 0 else (theta[h - 1] if h <= q else 0.0)
        for j in range(min(p, h)):
            psi[h] += phi[j] * psi[h - 1 - j]
    for _ in range(d):
        for h in range(1, horizon):
            psi[h] += psi[h - 1]
    spread = 0.0
    for h in range(horizon):
        spread += psi[h] * psi[h]
        stderr[h] = math.sqrt(variance * spread)
    return True
