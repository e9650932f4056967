"""Where the search for ARIMA coefficients begins: regressions on lags, after effects are taken out."""

import math

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.arima.arma import to_variables
from veridex.core.numerics.arima.models import Orders
from veridex.core.numerics.compiled import copy_into, kernel
from veridex.core.numerics.regression.least_squares import least_squares

__all__ = ["regression_starts", "take_out"]


@kernel
def regression_starts(z: FloatArray, mean: float, orders: Orders, free: IntArray, u: FloatArray) -> bool:
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
def take_out(columns: FloatArray, unknown: int, plain: FloatArray) -> bool:
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
