"""Maximum likelihood estimates of ARIMA models: damped steps on the scaled innovations.

Symbols and parameter rows are those of `models`. Constant and variance are concentrated out; the coefficients are
sought through the partial autocorrelations of their polynomials, so that every point is stationary and invertible.
"""

import math
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.arima.arma import LARGEST, is_stable, to_coefficients, whiten
from veridex.core.numerics.arima.models import Orders, columns_of, expand, lost, small_size
from veridex.core.numerics.arima.starts import regression_starts, take_out
from veridex.core.numerics.climb.damped import (
    BETTER,
    ENDED,
    LOST,
    PROMISED,
    STEPS,
    VALUE,
    Climb,
    begin,
    judge,
    propose,
)
from veridex.core.numerics.compiled import copy_into, kernel
from veridex.core.numerics.regression.least_squares import least_squares

__all__ = ["DONE", "NOT_CONVERGED", "NO_FIT", "PERFECT", "arima_log_likelihood", "estimate_arima", "to_small"]

DONE, NOT_CONVERGED, NO_FIT, PERFECT = 0, 1, 2, 3

TOLERANCE = 1e-7
"""Promised gain in log-likelihood that is not worth another step."""

MAX_STEPS = 100
FURTHEST = 3.0
"""Beyond a few units the model of the squared residuals is a guess."""

EDGE = 3.0
"""Warm starts keep partial autocorrelations below 0.95: a search that starts on the edge sees no slope."""


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
def _innovations(
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
def _room(problem: Problem) -> Room:
    """Make room for a model."""
    o, columns = problem.orders, problem.columns
    phi, theta = np.empty(o.p + o.P * o.m), np.empty(o.q + o.Q * o.m)
    found = np.zeros(max(columns.shape[0] - 1, 1))
    return Room(np.empty(problem.free.size), phi, theta, np.empty(columns.shape), found)


@kernel
def _value(u: FloatArray, problem: Problem, room: Room, residuals: FloatArray) -> float:
    """Negative log-likelihood less its constant; fill the residuals whose squared sum it is a logarithm of."""
    orders, free, columns, unknown, floor = problem
    if not to_small(u, orders, free, room.small):
        return np.inf
    expand(room.small, orders, room.phi, room.theta)
    total, half = _innovations(room.phi, room.theta, columns, unknown, room.scaled, room.found)
    if not math.isfinite(total):
        return np.inf
    n = columns.shape[1] - unknown
    size = math.exp(half / n)
    for t in range(columns.shape[1]):
        residuals[t] = room.scaled[0, t] * size
    return float(0.5 * n * math.log(max(total / n, floor)) + half)


@kernel
def _climb(u: FloatArray, problem: Problem, room: Room, marks: IntArray) -> float:
    """Search from `u`, which is overwritten by the end; return the negative log-likelihood there."""
    k, n = u.size, problem.columns.shape[1]
    residuals, moved = np.empty(n), np.empty(n)
    changes, low, high = np.empty((k, n)), np.empty(k), np.empty(k)
    for j in range(k):
        low[j], high[j] = -LARGEST, LARGEST
    climb = begin(u, low, high, marks)
    value = _value(u, problem, room, residuals)
    climb.figures[VALUE] = value
    if not math.isfinite(value) or k == 0:
        marks[ENDED] = 1
        return value
    fresh = True
    for _ in range(MAX_STEPS):
        if fresh:
            _slopes(climb, problem, room, residuals, moved, changes)
            fresh = False
        if not propose(climb, TOLERANCE, FURTHEST):
            break
        new_value = np.inf
        if not math.isnan(climb.figures[PROMISED]):
            new_value = _value(climb.trial, problem, room, moved)
        became = judge(climb, new_value)
        if became == BETTER:
            fresh = True
            copy_into(residuals, moved)
        elif became == LOST:
            break
    return float(climb.figures[VALUE])


@kernel
def _slopes(
    climb: Climb, problem: Problem, room: Room, residuals: FloatArray, moved: FloatArray, changes: FloatArray
) -> None:
    """Gradient, and Hessian of Gauss and Newton, by differences of the residuals."""
    u, trial, n = climb.z, climb.trial, residuals.size
    total = 0.0
    for t in range(n):
        total += residuals[t] * residuals[t]
    per = (n - problem.unknown) / max(total, problem.floor * n)
    for j in range(u.size):
        copy_into(trial, u)
        width = 3e-7 * (1.0 + abs(u[j]))
        trial[j] += width
        _value(trial, problem, room, moved)
        climb.gradient[j] = 0.0
        for t in range(n):
            changes[j, t] = (moved[t] - residuals[t]) / width
            climb.gradient[j] += per * changes[j, t] * residuals[t]
        for i in range(j + 1):
            product = 0.0
            for t in range(n):
                product += changes[i, t] * changes[j, t]
            climb.hessian[j, i] = per * product


@kernel
def estimate_arima(
    y: FloatArray, x: FloatArray, orders: Orders, free: IntArray, warm: FloatArray, row: FloatArray, stats: FloatArray
) -> int:
    """Estimate an ARIMA model by exact maximum likelihood.

    Parameters
    ----------
    y : ndarray, shape (n,)
        First and last value known; NaN inside is exact, see the head of `arima`.
    x : ndarray, shape (n, r)
        Drivers: y less their effects is the ARIMA series, their effects are found by generalised least squares.
    orders : Orders
    free : ndarray of int, shape (p + q + P + Q,)
        1 where a coefficient is estimated, 0 where it is held at zero.
    warm : ndarray, shape (1 + free coefficients,)
        ``warm[0]`` is 1 when the rest holds the optimum of a neighbouring span; overwritten.
    row : ndarray, shape (p + q + P + Q + r + 2,)
        Filled with coefficients, effects, constant, variance; that is the maximum-likelihood one (sum over n).
    stats : ndarray, shape (4,)
        Filled with log-likelihood, values used, quantities estimated (variance included), steps.

    Returns
    -------
    int
        DONE, NOT_CONVERGED, NO_FIT, or PERFECT where nothing is left to be explained.

    References
    ----------
    .. [1] Brockwell and Davis (1991), Time Series: Theory and Methods, 2nd ed., section 8.7 (the likelihood).
    .. [2] Monahan (1984), Biometrika 71, 403-404 (the stationary parametrisation).
    """
    constant = orders.constant
    k, all_of_them = 0, small_size(orders)
    for j in range(all_of_them):
        k += free[j]
    effects = x.shape[1] + constant
    if y.size - lost(orders) < k + effects + 2:
        return NO_FIT
    columns = columns_of(y, x, orders)
    n = columns.shape[1]
    unknown = columns.shape[0] - 1 - effects
    if n - unknown < k + effects + 2:
        return NO_FIT
    plain = columns[0].copy()
    if not take_out(columns, unknown, plain):
        return NO_FIT
    square, whole = 0.0, 0.0
    for t in range(n):
        square += plain[t] ** 2
        whole += columns[0, t] ** 2
    if square <= 1e-24 * whole or whole == 0.0:
        return PERFECT
    floor = 1e-20 * square / n
    problem = Problem(orders, free, columns, unknown, floor)
    room = _room(problem)
    u, best, best_value, ended = np.empty(k), np.zeros(k), np.inf, 0
    marks = np.zeros(2, dtype=np.int64)
    # Near-cancelling factors make two tops: search from regression estimates and from a small constant. A
    # neighbouring span's optimum makes both needless.
    for search in range(1 if warm[0] == 1.0 or k == 0 else 2):
        for j in range(k):
            u[j] = min(max(warm[1 + j], -EDGE), EDGE) if warm[0] == 1.0 else 0.1
        if search == 1 and not regression_starts(plain, 0.0, orders, free, u):
            continue
        value = _climb(u, problem, room, marks)
        if value < best_value:
            best_value, ended = value, marks[ENDED]
            copy_into(best, u)
    if not math.isfinite(best_value):
        return NO_FIT
    to_small(best, orders, free, row[:all_of_them])
    expand(row, orders, room.phi, room.theta)
    total, half = _innovations(room.phi, room.theta, columns, unknown, room.scaled, room.found)
    n -= unknown
    warm[0] = 1.0
    copy_into(warm[1:], best)
    row[-2] = 0.0
    for j in range(x.shape[1]):
        row[all_of_them + j] = room.found[unknown + j]
    if constant == 1:
        row[-2] = room.found[unknown + x.shape[1]]
    row[-1] = total / n
    stats[0] = -0.5 * n * (math.log(2.0 * math.pi * max(total / n, floor)) + 1.0) - half
    stats[1] = n
    stats[2] = k + effects + 1
    stats[3] = marks[STEPS]
    return DONE if ended == 1 else NOT_CONVERGED


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
    total, half = _innovations(phi, theta, columns, unknown, np.empty(columns.shape), np.empty(max(unknown, 1)))
    if not math.isfinite(total):
        return -np.inf
    n -= unknown
    return float(-0.5 * n * (math.log(2.0 * math.pi * total / n) + 1.0) - half)
