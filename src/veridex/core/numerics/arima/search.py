"""Maximum likelihood estimates of ARIMA models: Levenberg-Marquardt steps on the scaled innovations.

Symbols and parameter rows are those of `arima`. Constant and variance are concentrated out; the coefficients are sought
through the partial autocorrelations of their polynomials, so that every point is stationary and invertible.
"""

import math

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.arima.arma import LARGEST, is_stable, to_coefficients, to_variables, whiten
from veridex.core.numerics.arima.models import Orders, columns_of, expand, lost, small_size
from veridex.core.numerics.climb.bounded_steps import HOPELESS, bounded_step, next_damping
from veridex.core.numerics.compiled import copy_into, kernel
from veridex.core.numerics.regression.least_squares import least_squares

__all__ = ["DONE", "NOT_CONVERGED", "NO_FIT", "PERFECT", "arima_log_likelihood", "estimate_arima", "to_small"]

DONE, NOT_CONVERGED, NO_FIT, PERFECT = 0, 1, 2, 3

TOLERANCE = 1e-7
"""Promised gain in log-likelihood that is not worth another step."""

MAX_STEPS = 100
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


@kernel
def _value(
    u: FloatArray,
    orders: Orders,
    free: IntArray,
    columns: FloatArray,
    unknown: int,
    floor: float,
    small: FloatArray,
    phi: FloatArray,
    theta: FloatArray,
    scaled: FloatArray,
    found: FloatArray,
    residuals: FloatArray,
) -> float:
    """Negative log-likelihood less its constant; fill the residuals whose squared sum it is a logarithm of."""
    if not to_small(u, orders, free, small):
        return np.inf
    expand(small, orders, phi, theta)
    total, half = _innovations(phi, theta, columns, unknown, scaled, found)
    if not math.isfinite(total):
        return np.inf
    n = columns.shape[1] - unknown
    size = math.exp(half / n)
    for t in range(columns.shape[1]):
        residuals[t] = scaled[0, t] * size
    return float(0.5 * n * math.log(max(total / n, floor)) + half)


@kernel
def _climb(
    u: FloatArray,
    orders: Orders,
    free: IntArray,
    columns: FloatArray,
    unknown: int,
    floor: float,
    scaled: FloatArray,
    found: FloatArray,
    marks: IntArray,
) -> float:
    """Search from `u`, which is overwritten by the end; return the negative log-likelihood there."""
    k, n = u.size, columns.shape[1]
    small, phi = np.empty(free.size), np.empty(orders.p + orders.P * orders.m)
    theta = np.empty(orders.q + orders.Q * orders.m)
    residuals, moved, trial = np.empty(n), np.empty(n), np.empty(k)
    changes, gradient, hessian, step = np.empty((k, n)), np.empty(k), np.empty((k, k)), np.empty(k)
    low, high = np.empty(k), np.empty(k)
    for j in range(k):
        low[j], high[j] = -LARGEST, LARGEST
    value = _value(u, orders, free, columns, unknown, floor, small, phi, theta, scaled, found, residuals)
    marks[1] = 0
    if not math.isfinite(value) or k == 0:
        marks[1] = 1
        return value
    damping, fresh = 1e-3, True
    for _ in range(MAX_STEPS):
        if fresh:
            total = 0.0
            for t in range(n):
                total += residuals[t] * residuals[t]
            per = (n - unknown) / max(total, floor * n)
            for j in range(k):
                copy_into(trial, u)
                width = 3e-7 * (1.0 + abs(u[j]))
                trial[j] += width
                _value(trial, orders, free, columns, unknown, floor, small, phi, theta, scaled, found, moved)
                gradient[j] = 0.0
                for t in range(n):
                    changes[j, t] = (moved[t] - residuals[t]) / width
                    gradient[j] += per * changes[j, t] * residuals[t]
                for i in range(j + 1):
                    product = 0.0
                    for t in range(n):
                        product += changes[i, t] * changes[j, t]
                    hessian[j, i] = per * product
            fresh = False
        promised = bounded_step(u, low, high, gradient, hessian, damping, step)
        if promised < TOLERANCE * (1.0 + damping):
            marks[1] = 1
            break
        longest = 0.0
        for j in range(k):
            longest = max(longest, abs(step[j]) / (1.0 + abs(u[j])))
        # Beyond a few units the model of the squared residuals is a guess.
        share = min(1.0, 3.0 / longest) if longest > 0.0 else 1.0
        for j in range(k):
            trial[j] = min(max(u[j] + share * step[j], low[j]), high[j])
        new_value = np.inf
        if not math.isnan(promised):
            new_value = _value(trial, orders, free, columns, unknown, floor, small, phi, theta, scaled, found, moved)
        marks[0] += 1
        damping = next_damping(damping, value - new_value, promised)
        if new_value < value:
            value, fresh = new_value, True
            copy_into(u, trial)
            copy_into(residuals, moved)
        elif damping > HOPELESS:
            marks[1] = 1
            break
    return value


@kernel
def _regression_starts(z: FloatArray, mean: float, orders: Orders, free: IntArray, u: FloatArray) -> bool:
    """Starting values: regress z on its own lags and on the residuals of a long autoregression.

    References
    ----------
    .. [1] Hannan and Rissanen (1982), Biometrika 69, 81-94.
    """
    n, m = z.size, orders.m
    k = u.size
    reach = orders.p if orders.P == 0 else max(orders.p, orders.P * m)
    reach_ma = orders.q if orders.Q == 0 else max(orders.q, orders.Q * m)
    long = min(max(reach + reach_ma, int(0.75 * math.log(n) * math.log(n))), n // 4)
    residuals = np.zeros(n)
    first = reach
    if reach_ma > 0:
        rows = n - long
        if rows < long + 1 or long < 1:
            return False
        design, target, solution = np.empty((rows, long)), np.empty(rows), np.empty(long)
        for t in range(rows):
            target[t] = z[t + long] - mean
            for j in range(long):
                design[t, j] = z[t + long - 1 - j] - mean
        if least_squares(design, target, solution) < 0.0:
            return False
        for t in range(long, n):
            residuals[t] = z[t] - mean
            for j in range(long):
                residuals[t] -= solution[j] * (z[t - 1 - j] - mean)
        first = max(reach, min(long + reach_ma, n - 2 * k - 1))
    rows = n - first
    if rows < k + 1 or first < reach or first < reach_ma:
        return False
    design, target, solution = np.empty((rows, k)), np.empty(rows), np.empty(k)
    for t in range(rows):
        target[t] = z[t + first] - mean
        at, place = 0, 0
        for block in range(4):
            for j in range(
                orders.p if block == 0 else orders.q if block == 1 else orders.P if block == 2 else orders.Q
            ):
                if free[place] == 1:
                    lag = j + 1 if block < 2 else (j + 1) * m
                    design[t, at] = z[t + first - lag] - mean if block % 2 == 0 else residuals[t + first - lag]
                    at += 1
                place += 1
    if least_squares(design, target, solution) < 0.0:
        return False
    if k < free.size:
        copy_into(u, solution)
        return True
    begin = 0
    for size, sign in ((orders.p, 1.0), (orders.q, -1.0), (orders.P, 1.0), (orders.Q, -1.0)):
        to_variables(solution[begin : begin + size], sign, u[begin : begin + size])
        begin += size
    return True


@kernel
def _take_out(columns: FloatArray, unknown: int, plain: FloatArray) -> bool:
    """Take the effects of drivers and constant out of `plain` by least squares; False if they are dependent."""
    count, n = columns.shape
    k = count - 1 - unknown
    if k == 0:
        return True
    if k == 1:
        cross, square = 0.0, 0.0
        for t in range(n):
            cross += columns[1 + unknown, t] * plain[t]
            square += columns[1 + unknown, t] ** 2
        if square == 0.0:
            return False
        for t in range(n):
            plain[t] -= cross / square * columns[1 + unknown, t]
        return True
    design, target, found = np.empty((n, k)), plain.copy(), np.empty(k)
    for t in range(n):
        for j in range(k):
            design[t, j] = columns[1 + unknown + j, t]
    if least_squares(design, target, found) < 0.0:
        return False
    for t in range(n):
        for j in range(k):
            plain[t] -= found[j] * columns[1 + unknown + j, t]
    return True


@kernel
def estimate_arima(
    y: FloatArray,
    x: FloatArray,
    p: int,
    d: int,
    q: int,
    seasonal_p: int,
    D: int,
    seasonal_q: int,
    m: int,
    constant: int,
    free: IntArray,
    warm: FloatArray,
    row: FloatArray,
    stats: FloatArray,
) -> int:
    """Estimate an ARIMA model by exact maximum likelihood.

    Parameters
    ----------
    y : ndarray, shape (n,)
        First and last value known; NaN inside is exact, see the head of `arima`.
    x : ndarray, shape (n, r)
        Drivers: y less their effects is the ARIMA series, their effects are found by generalised least squares.
    p, d, q, seasonal_p, D, seasonal_q, m : int
    constant : int
        1 where the differenced series has a mean of its own.
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
    orders = Orders(p, d, q, seasonal_p, D, seasonal_q, m, constant)
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
    if not _take_out(columns, unknown, plain):
        return NO_FIT
    square, whole = 0.0, 0.0
    for t in range(n):
        square += plain[t] ** 2
        whole += columns[0, t] ** 2
    if square <= 1e-24 * whole or whole == 0.0:
        return PERFECT
    floor = 1e-20 * square / n
    scaled, found = np.empty(columns.shape), np.zeros(max(columns.shape[0] - 1, 1))
    u, best, best_value, ended = np.empty(k), np.zeros(k), np.inf, 0
    marks = np.zeros(2, dtype=np.int64)
    # Near-cancelling factors make two tops: search from regression estimates and from a small constant. A
    # neighbouring span's optimum makes both needless.
    for search in range(1 if warm[0] == 1.0 or k == 0 else 2):
        for j in range(k):
            u[j] = min(max(warm[1 + j], -EDGE), EDGE) if warm[0] == 1.0 else 0.1
        if search == 1 and not _regression_starts(plain, 0.0, orders, free, u):
            continue
        value = _climb(u, orders, free, columns, unknown, floor, scaled, found, marks)
        if value < best_value:
            best_value, ended = value, marks[1]
            copy_into(best, u)
    if not math.isfinite(best_value):
        return NO_FIT
    to_small(best, orders, free, row[:all_of_them])
    phi, theta = np.empty(p + seasonal_p * m), np.empty(q + seasonal_q * m)
    expand(row, orders, phi, theta)
    total, half = _innovations(phi, theta, columns, unknown, scaled, found)
    n -= unknown
    warm[0] = 1.0
    copy_into(warm[1:], best)
    row[-2] = 0.0
    for j in range(x.shape[1]):
        row[all_of_them + j] = found[unknown + j]
    if constant == 1:
        row[-2] = found[unknown + x.shape[1]]
    row[-1] = total / n
    stats[0] = -0.5 * n * (math.log(2.0 * math.pi * max(total / n, floor)) + 1.0) - half
    stats[1] = n
    stats[2] = k + effects + 1
    stats[3] = marks[0]
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
