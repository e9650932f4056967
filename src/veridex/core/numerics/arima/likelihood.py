"""The exact Gaussian likelihood of ARIMA models, constant, effects and variance concentrated out.

Symbols and parameter rows are those of `models`.
"""

import math
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.arima.arma import is_stable, to_coefficients, whiten
from veridex.core.numerics.arima.models import Orders, columns_of, expand, small_size
from veridex.core.numerics.compiled import copy_into, kernel
from veridex.core.numerics.regression.least_squares import least_squares

__all__ = ["Problem", "Room", "arima_log_likelihood", "innovations", "room_for", "to_small", "value_at"]


@kernel
def to_small(u: FloatArray, orders: Orders, free: IntArray, small: FloatArray) -> bool:
    """Free variables to the coefficients of the four polynomials; False where these are not stable.

    Where all lags are free the variables stand for partial autocorrelations, which are always stable; where some
    are held at zero they are the coefficients themselves.
    """
    begin = 0
    if u.size == free.size:
        for size, sign in ((orders.p, 1.0), (orders.q, -1.0), (orders.P, 1.0), (orders.Q, -1.0)):
            to_coefficients(u[begin : begin + size], sign, small[begin : begin + size])
            begin += size
        return True
    at = 0
    for j in range(free.size):
        small[j] = 0.0
        if free[j] == 1:
            small[j] = u[at]
            at += 1
    for size, sign in ((orders.p, 1.0), (orders.q, -1.0), (orders.P, 1.0), (orders.Q, -1.0)):
        if not is_stable(small[begin : begin + size], sign):
            return False
        begin += size
    return True


@kernel
def innovations(
    phi: FloatArray, theta: FloatArray, columns: FloatArray, unknown: int, scaled: FloatArray, found: FloatArray
) -> tuple[float, float]:
    """Leave independent innovations in ``scaled[0]`` and the columns' coefficients in `found`.

    Returns
    -------
    tuple of float, float
        Sum of squares, and half the log-determinant (with that of the columns of unknown values); infinite where
        phi is not stationary or the columns are dependent.
    """
    count, n = columns.shape
    ahead = np.empty((count, max(phi.size, theta.size)))
    log_product = whiten(phi, theta, columns, scaled, np.empty(n), ahead)
    if not math.isfinite(log_product):
        return np.inf, np.inf
    half = 0.5 * log_product
    if count == 2 and unknown == 0:
        cross, square = 0.0, 0.0
        for t in range(n):
            cross += scaled[0, t] * scaled[1, t]
            square += scaled[1, t] * scaled[1, t]
        found[0] = cross / square
    elif count > 1:
        design, target = np.empty((n, count - 1)), np.empty(n)
        copy_into(target, scaled[0])
        for t in range(n):
            for j in range(count - 1):
                design[t, j] = scaled[1 + j, t]
        if least_squares(design, target, found) < 0.0:
            return np.inf, np.inf
        for j in range(unknown):
            half += math.log(abs(design[j, j]))
    total = 0.0
    for t in range(n):
        for j in range(count - 1):
            scaled[0, t] -= found[j] * scaled[1 + j, t]
        total += scaled[0, t] * scaled[0, t]
    return total, float(half)


class Problem(NamedTuple):
    """What a model is judged on.

    Attributes
    ----------
    orders : Orders
    free : ndarray of int, shape (p + q + P + Q,)
        1 where a coefficient is estimated, 0 where it is held at zero.
    columns : ndarray, shape (1 + unknown + effects, n)
        The differenced series, then what is taken out of it.
    unknown : int
        How many of them stand for unknown values.
    floor : float
        Least mean square that is told from zero.
    """

    orders: Orders
    free: IntArray
    columns: FloatArray
    unknown: int
    floor: float


class Room(NamedTuple):
    """Arrays to work in: coefficients, expanded polynomials, scaled columns, effects."""

    small: FloatArray
    phi: FloatArray
    theta: FloatArray
    scaled: FloatArray
    found: FloatArray


@kernel
def room_for(problem: Problem) -> Room:
    """Make room for a model."""
    o, columns = problem.orders, problem.columns
    phi, theta = np.empty(o.p + o.P * o.m), np.empty(o.q + o.Q * o.m)
    found = np.zeros(max(columns.shape[0] - 1, 1))
    return Room(np.empty(problem.free.size), phi, theta, np.empty(columns.shape), found)


@kernel
def value_at(u: FloatArray, problem: Problem, room: Room, residuals: FloatArray) -> float:
    """Negative log-likelihood less its constant; fill the residuals whose squared sum it is a logarithm of."""
    orders, free, columns, unknown, floor = problem
    if not to_small(u, orders, free, room.small):
        return np.inf
    expand(room.small, orders, room.phi, room.theta)
    total, half = innovations(room.phi, room.theta, columns, unknown, room.scaled, room.found)
    if not math.isfinite(total):
        return np.inf
    n = columns.shape[1] - unknown
    size = math.exp(half / n)
    for t in range(columns.shape[1]):
        residuals[t] = room.scaled[0, t] * size
    return float(0.5 * n * math.log(max(total / n, floor)) + half)


@kernel
def arima_log_likelihood(y: FloatArray, orders: Orders, point: FloatArray) -> float:
    """Log-likelihood of the known values at given coefficients and constant, the variance concentrated out.

    Parameters
    ----------
    y : ndarray, shape (n,)
        First and last value known.
    orders : Orders
        Its `constant` is not looked at.
    point : ndarray, shape (p + q + P + Q + 1,)
        The coefficients and the constant (0 without one).

    Returns
    -------
    float
        Negative infinity where the coefficients are not stationary.
    """
    bare = Orders(orders.p, orders.d, orders.q, orders.P, orders.D, orders.Q, orders.m, 0)
    columns = columns_of(y, np.empty((y.size, 0)), bare)
    k, n, unknown = small_size(bare), columns.shape[1], columns.shape[0] - 1
    for t in range(n):
        columns[0, t] -= point[k]
    phi, theta = np.empty(bare.p + bare.P * bare.m), np.empty(bare.q + bare.Q * bare.m)
    expand(point, bare, phi, theta)
    total, half = innovations(phi, theta, columns, unknown, np.empty(columns.shape), np.empty(max(unknown, 1)))
    if not math.isfinite(total):
        return -np.inf
    n -= unknown
    return float(-0.5 * n * (math.log(2.0 * math.pi * total / n) + 1.0) - half)
