"""Maximum likelihood estimates of ARIMA models: damped steps on the scaled innovations.

Symbols and parameter rows are those of `models`. Constant and variance are concentrated out; the coefficients are
sought through the partial autocorrelations of their polynomials, so that every point is stationary and invertible.
"""

import math

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.arima.arma import LARGEST
from veridex.core.numerics.arima.likelihood import Problem, Room, innovations, room_for, to_small, value_at
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
from veridex.core.numerics.compiled import copy_into, inlined, kernel

__all__ = ["DONE", "NOT_CONVERGED", "NO_FIT", "PERFECT", "estimate_arima"]

DONE, NOT_CONVERGED, NO_FIT, PERFECT = 0, 1, 2, 3

TOLERANCE = 1e-7
"""Promised gain in log-likelihood that is not worth another step."""

MAX_STEPS = 100
FURTHEST = 3.0
"""Beyond a few units the model of the squared residuals is a guess."""

EDGE = 3.0
"""Warm starts keep partial autocorrelations below 0.95: a search that starts on the edge sees no slope."""


@inlined
def _climb(u: FloatArray, problem: Problem, room: Room, marks: IntArray) -> float:
    """Search from `u`, which is overwritten by the end; return the negative log-likelihood there."""
    k, n = u.size, problem.columns.shape[1]
    residuals, moved = np.empty(n), np.empty(n)
    changes, low, high = np.empty((k, n)), np.empty(k), np.empty(k)
    for j in range(k):
        low[j], high[j] = -LARGEST, LARGEST
    climb = begin(u, low, high, marks)
    value = value_at(u, problem, room, residuals)
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
            new_value = value_at(climb.trial, problem, room, moved)
        became = judge(climb, new_value)
        if became == BETTER:
            fresh = True
            copy_into(residuals, moved)
        elif became == LOST:
            break
    return float(climb.figures[VALUE])


@inlined
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
        value_at(trial, problem, room, moved)
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
    room = room_for(problem)
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
    total, half = innovations(room.phi, room.theta, columns, unknown, room.scaled, room.found)
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
