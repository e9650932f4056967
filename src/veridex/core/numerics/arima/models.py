"""ARIMA models: orders, polynomials, differencing, unknown values, and forecasts that undo the differences.

    phi(B) Phi(B^m) ((1 - B)^d (1 - B^m)^D y_t - c) = theta(B) Theta(B^m) a_t

with phi(B) = 1 - phi_1 B - ... and theta(B) = 1 + theta_1 B + ... (the signs of Brockwell and Davis, 1991), the
seasonal polynomials likewise. A parameter row is phi, theta, Phi, Theta, the constant c (0 without one), the variance
of a.

A value that is not known is bridged, and a column of its own, one there and zero elsewhere, is differenced and filtered
along. Its coefficient by generalised least squares is what the bridge lacks, and with the determinant of those columns
the likelihood is that of the known values alone (Gomez, Maravall and Pena, 1999, Journal of Econometrics 88, 341-363).
"""

import math
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.arima.arma import largest_partial, whiten
from veridex.core.numerics.compiled import copy_into, kernel
from veridex.core.numerics.regression.least_squares import least_squares
from veridex.core.numerics.smoothing.starts import bridge_unknown

__all__ = ["Orders", "columns_of", "expand", "largest_partials", "lost", "replay_arima", "small_size"]


class Orders(NamedTuple):
    """Orders of an ARIMA model, and the season that the seasonal ones step by."""

    p: int
    d: int
    q: int
    P: int
    D: int
    Q: int
    m: int
    constant: int


@kernel
def small_size(orders: Orders) -> int:
    """Coefficients of the four polynomials together."""
    return orders.p + orders.q + orders.P + orders.Q


@kernel
def largest_partials(small: FloatArray, orders: Orders) -> tuple[float, float]:
    """Largest partial autocorrelations of the autoregressive polynomials and of the moving averages."""
    a, b, c = orders.p, orders.p + orders.q, orders.p + orders.q + orders.P
    own = max(largest_partial(small[:a]), largest_partial(small[b:c]))
    return own, max(largest_partial(-small[a:b]), largest_partial(-small[c : c + orders.Q]))


@kernel
def lost(orders: Orders) -> int:
    """Values that differencing takes."""
    return orders.d + orders.D * orders.m


@kernel
def _multiplied(short: FloatArray, seasonal: FloatArray, m: int, sign: float, full: FloatArray) -> None:
    """Coefficients of (1 + sign short(B)) (1 + sign seasonal(B^m)), as 1 + sign full(B)."""
    full[:] = 0.0
    for i in range(short.size):
        full[i] += short[i]
    for j in range(seasonal.size):
        full[(j + 1) * m - 1] += seasonal[j]
        for i in range(short.size):
            full[(j + 1) * m + i] += sign * short[i] * seasonal[j]


@kernel
def expand(small: FloatArray, orders: Orders, phi: FloatArray, theta: FloatArray) -> None:
    """Multiply the plain and the seasonal polynomials out.

    Parameters
    ----------
    small : ndarray, shape (p + q + P + Q,) or longer
    orders : Orders
    phi : ndarray, shape (p + P m,)
    theta : ndarray, shape (q + Q m,)
        Filled.
    """
    p, q = orders.p, orders.q
    _multiplied(small[:p], small[p + q : p + q + orders.P], orders.m, -1.0, phi)
    _multiplied(small[p : p + q], small[p + q + orders.P : p + q + orders.P + orders.Q], orders.m, 1.0, theta)


@kernel
def _difference_in_place(z: FloatArray, orders: Orders) -> None:
    """Replace the values from `lost` on by their differences; those before are left over from the way."""
    for k in range(orders.d + orders.D):
        step = 1 if k < orders.d else orders.m
        begin = k + 1 if k < orders.d else orders.d + (k - orders.d + 1) * orders.m
        for t in range(z.size - 1, begin - 1, -1):
            z[t] -= z[t - step]


@kernel
def columns_of(y: FloatArray, x: FloatArray, orders: Orders) -> FloatArray:
    """Differenced series, a differenced column for each unknown value and each driver, and ones for the constant.

    Parameters
    ----------
    y : ndarray, shape (n,)
        First and last value known.
    x : ndarray, shape (n, r)
        Drivers.
    orders : Orders

    Returns
    -------
    ndarray, shape (1 + unknown + r + constant, n - lost)
    """
    n, first = y.size, lost(orders)
    unknown = 0
    for t in range(n):
        unknown += math.isnan(y[t])
    columns = np.ones((1 + unknown + x.shape[1] + orders.constant, n - first))
    work = np.empty(n)
    bridge_unknown(y, work)
    _difference_in_place(work, orders)
    copy_into(columns[0], work[first:])
    at = 0
    for t in range(n):
        if math.isnan(y[t]):
            at += 1
            work[:] = 0.0
            work[t] = 1.0
            _difference_in_place(work, orders)
            copy_into(columns[at], work[first:])
    for j in range(x.shape[1]):
        for t in range(n):
            work[t] = x[t, j]
        _difference_in_place(work, orders)
        copy_into(columns[1 + unknown + j], work[first:])
    return columns


@kernel
def _filled(y: FloatArray, orders: Orders, constant: float, phi: FloatArray, theta: FloatArray) -> FloatArray:
    """The series with its unknown values at their expectation given all that is known."""
    filled = np.empty(y.size)
    bridge_unknown(y, filled)
    columns = columns_of(y, np.empty((y.size, 0)), orders)
    unknown = columns.shape[0] - 1 - orders.constant
    if unknown == 0:
        return filled
    n = columns.shape[1]
    for t in range(n):
        columns[0, t] -= constant
    scaled, ahead = np.empty(columns.shape), np.empty((columns.shape[0], max(phi.size, theta.size)))
    whiten(phi, theta, columns, scaled, np.empty(n), ahead)
    design, target, found = np.empty((n, unknown)), scaled[0].copy(), np.empty(unknown)
    for t in range(n):
        for j in range(unknown):
            design[t, j] = scaled[1 + j, t]
    least_squares(design, target, found)
    at = 0
    for t in range(y.size):
        if math.isnan(y[t]):
            filled[t] -= found[at]
            at += 1
    return filled


@kernel
def _difference_weights(orders: Orders) -> FloatArray:
    """Weights w of (1 - B)^d (1 - B^m)^D = 1 - sum of w_j B^j."""
    weights = np.zeros(lost(orders) + 1)
    weights[0] = 1.0
    for k in range(orders.d + orders.D):
        step = 1 if k < orders.d else orders.m
        for j in range(weights.size - 1, step - 1, -1):
            weights[j] -= weights[j - step]
    for j in range(weights.size):
        weights[j] = -weights[j]
    return weights


@kernel
def replay_arima(
    y: FloatArray, orders: Orders, row: FloatArray, fitted: FloatArray, points: FloatArray, std_error: FloatArray
) -> bool:
    """Run given coefficients over `y` and forecast from its end by the exact finite-sample predictor.

    Parameters
    ----------
    y : ndarray, shape (n,)
        First and last value known.
    orders : Orders
    row : ndarray, shape (p + q + P + Q + 2,)
    fitted : ndarray, shape (n,)
        Filled with one-step forecasts (from bridged values where some are unknown); the first that differencing
        takes have none and are NaN.
    points, std_error : ndarray, shape (horizon,)
        Filled with the mean and, from the psi weights of the whole model with its differencing, the standard
        deviation of demand at each lead time, given the coefficients and the bridged values.

    Returns
    -------
    bool
        False where the coefficients are not stationary.

    References
    ----------
    .. [1] Brockwell and Davis (1991), Time Series: Theory and Methods, 2nd ed., sections 5.3 and 9.5.
    """
    n, horizon, first = y.size, points.size, lost(orders)
    k = small_size(orders)
    phi, theta = np.empty(orders.p + orders.P * orders.m), np.empty(orders.q + orders.Q * orders.m)
    expand(row, orders, phi, theta)
    constant, variance = row[k], row[k + 1]
    filled = _filled(y, orders, constant, phi, theta)
    work = filled.copy()
    _difference_in_place(work, orders)
    columns = np.empty((1, n - first))
    for t in range(n - first):
        columns[0, t] = work[t + first] - constant
    top = max(phi.size, theta.size)
    scaled, roots, ahead = np.empty((1, n - first)), np.empty(n - first), np.zeros((1, top))
    if not math.isfinite(whiten(phi, theta, columns, scaled, roots, ahead)):
        return False
    for t in range(n):
        fitted[t] = filled[t] - scaled[0, t - first] * roots[t - first] if t >= first else np.nan
    weights = _difference_weights(orders)
    future = np.empty(horizon)
    for h in range(horizon):
        future[h] = ahead[0, h] if h < top else 0.0
        for j in range(phi.size):
            back = h - 1 - j
            if back >= 0:
                future[h] += phi[j] * future[back]
            elif n - first + back >= 0:
                future[h] += phi[j] * columns[0, n - first + back]
    psi = np.zeros(horizon)
    spread = 0.0
    for h in range(horizon):
        points[h] = future[h] + constant
        for j in range(1, weights.size):
            points[h] += weights[j] * (points[h - j] if h - j >= 0 else filled[n + h - j])
        psi[h] = 1.0 if h == 0 else (theta[h - 1] if h <= theta.size else 0.0)
        for j in range(min(phi.size, h)):
            psi[h] += phi[j] * psi[h - 1 - j]
    # The weights of theta(B) / phi(B), then those of the differences on top.
    for h in range(horizon):
        for j in range(1, min(weights.size, h + 1)):
            psi[h] += weights[j] * psi[h - j]
        spread += psi[h] * psi[h]
        std_error[h] = math.sqrt(variance * spread)
    return True
