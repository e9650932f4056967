"""Derivatives of the likelihood of exponential smoothing, exact and in one sweep.

Symbols and parameter rows are those of `smoothing`. Each entry of the row has its own derivative of level, slope and
season, which moves along with the states. A step of that recursion waits for the step before; three entries are taken
at a time, written out, so that their waits overlap.
"""

import math
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.smoothing.recursion import (
    ADDITIVE,
    ALPHA,
    BETA_STAR,
    GAMMA,
    LEVEL,
    MULTIPLICATIVE,
    NONE,
    PHI,
    SLOPE,
    STARTS,
    Form,
    half_deviance,
)

__all__ = ["By", "Sample", "slopes", "slopes_work"]

LANES = 3

PATHS = 6
ERROR, TURN, SLOPE_BEFORE, LEVEL_BEFORE, SEASON_BEFORE, RESIDUAL = 0, 1, 2, 3, 4, 5
"""What a run leaves behind per period: the correction of the level, that of the season, the states it met."""


@kernel
def slopes_work(n: int, m: int, k: int) -> int:
    """Length of `work` for `slopes`: paths, derivatives of the season, seasons, logarithms, changes of residuals."""
    padded = (k + LANES - 1) // LANES * LANES
    return PATHS * n + LANES * m + m + padded * (n + 1)


@kernel
def _run(y: FloatArray, form: Form, row: FloatArray, s: FloatArray, path: FloatArray) -> tuple[float, float, int]:
    """Run a form as `recursion` does, and keep what the derivatives need."""
    error, trend, season, m = form
    alpha, gamma, phi = row[ALPHA], row[GAMMA], row[PHI]
    beta = alpha * row[BETA_STAR]
    level, slope = row[LEVEL], row[SLOPE]
    for j in range(m):
        s[j] = row[STARTS + j]
    total, logs, product, count = 0.0, 0.0, 1.0, 0
    phase = 0
    for t in range(y.size):
        path[SLOPE_BEFORE, t] = slope
        if trend != NONE:
            slope *= phi
            level += slope
        seasonal = s[phase]
        path[LEVEL_BEFORE, t], path[SEASON_BEFORE, t] = level, seasonal
        forecast, e = level, y[t] - level
        if season == ADDITIVE:
            forecast += seasonal
            e -= seasonal
        elif season == MULTIPLICATIVE:
            forecast *= seasonal
            e = y[t] / seasonal - level
        path[ERROR, t] = e
        if not math.isnan(e):
            count += 1
            residual, turn = e, e
            if season == MULTIPLICATIVE:
                turn = seasonal * e / level
                residual = e * seasonal
            if error == MULTIPLICATIVE:
                if not forecast > 0.0:
                    return np.inf, 0.0, count
                residual = e / (level if season == MULTIPLICATIVE else forecast)
                product *= forecast
                if product > 1e100 or product < 1e-100:
                    logs += math.log(product)
                    product = 1.0
            path[RESIDUAL, t], path[TURN, t] = residual, turn
            total += residual * residual
            s[phase] = seasonal + gamma * turn
            level += alpha * e
            slope += beta * e
        phase += 1
        if phase == m:
            phase = 0
    return total, logs + math.log(product), count


@kernel
def _three(
    y: FloatArray,
    form: Form,
    row: FloatArray,
    lanes: FloatArray,
    path: FloatArray,
    ds: FloatArray,
    changes: FloatArray,
    logs_by: FloatArray,
) -> None:
    """Derivatives of the residuals by three entries.

    A row of `lanes` holds what an entry adds to the derivative of level and slope per unit of error, of season per
    unit of turn, and of slope per unit of slope, and the derivatives of starting level and slope.
    """
    error, _, season, m = form
    alpha, gamma, phi = row[ALPHA], row[GAMMA], row[PHI]
    beta = alpha * row[BETA_STAR]
    level0, slope0, turn0, fade0, dl0, db0 = lanes[0]
    level1, slope1, turn1, fade1, dl1, db1 = lanes[1]
    level2, slope2, turn2, fade2, dl2, db2 = lanes[2]
    logs0, logs1, logs2 = 0.0, 0.0, 0.0
    phase = 0
    for t in range(y.size):
        before = path[SLOPE_BEFORE, t]
        db0 = phi * db0 + fade0 * before
        db1 = phi * db1 + fade1 * before
        db2 = phi * db2 + fade2 * before
        dl0 += db0
        dl1 += db1
        dl2 += db2
        ds0, ds1, ds2 = ds[phase, 0], ds[phase, 1], ds[phase, 2]
        level, seasonal = path[LEVEL_BEFORE, t], path[SEASON_BEFORE, t]
        forecast = level
        if season == MULTIPLICATIVE:
            df0 = dl0 * seasonal + level * ds0
            df1 = dl1 * seasonal + level * ds1
            df2 = dl2 * seasonal + level * ds2
            forecast *= seasonal
        else:
            df0, df1, df2 = dl0 + ds0, dl1 + ds1, dl2 + ds2
            forecast += seasonal
        e = path[ERROR, t]
        if math.isnan(e):
            changes[0, t], changes[1, t], changes[2, t] = 0.0, 0.0, 0.0
        else:
            per = -1.0
            if error == MULTIPLICATIVE:
                share = 1.0 / forecast
                logs0 += df0 * share
                logs1 += df1 * share
                logs2 += df2 * share
                per = -(1.0 + path[RESIDUAL, t]) * share
            changes[0, t], changes[1, t], changes[2, t] = df0 * per, df1 * per, df2 * per
            turn = path[TURN, t]
            if season == MULTIPLICATIVE:
                by_season, by_level = y[t] / (seasonal * seasonal), gamma * y[t] / (level * level)
                dq0, dq1, dq2 = -by_season * ds0 - dl0, -by_season * ds1 - dl1, -by_season * ds2 - dl2
                ds[phase, 0] = (1.0 - gamma) * ds0 - by_level * dl0 + turn0 * turn
                ds[phase, 1] = (1.0 - gamma) * ds1 - by_level * dl1 + turn1 * turn
                ds[phase, 2] = (1.0 - gamma) * ds2 - by_level * dl2 + turn2 * turn
            else:
                dq0, dq1, dq2 = -df0, -df1, -df2
                if season == ADDITIVE:
                    ds[phase, 0] = ds0 - gamma * df0 + turn0 * turn
                    ds[phase, 1] = ds1 - gamma * df1 + turn1 * turn
                    ds[phase, 2] = ds2 - gamma * df2 + turn2 * turn
            dl0 += alpha * dq0 + level0 * e
            dl1 += alpha * dq1 + level1 * e
            dl2 += alpha * dq2 + level2 * e
            db0 += beta * dq0 + slope0 * e
            db1 += beta * dq1 + slope1 * e
            db2 += beta * dq2 + slope2 * e
        phase += 1
        if phase == m:
            phase = 0
    logs_by[0], logs_by[1], logs_by[2] = logs0, logs1, logs2


@kernel
def _dot(a: FloatArray, i: int, b: FloatArray, j: int, n: int) -> float:
    """Product of two rows; four sums run side by side."""
    sum0, sum1, sum2, sum3 = 0.0, 0.0, 0.0, 0.0
    whole = n - n % 4
    for t in range(0, whole, 4):
        sum0 += a[i, t] * b[j, t]
        sum1 += a[i, t + 1] * b[j, t + 1]
        sum2 += a[i, t + 2] * b[j, t + 2]
        sum3 += a[i, t + 3] * b[j, t + 3]
    for t in range(whole, n):
        sum0 += a[i, t] * b[j, t]
    return (sum0 + sum1) + (sum2 + sum3)


@kernel
def _lane(entry: int, row: FloatArray, shared: bool, apart: bool, lane: FloatArray) -> None:
    """What differentiating by an entry of the row adds, see `_three`."""
    lane[:] = 0.0
    if entry == ALPHA:
        lane[0], lane[1] = 1.0, 0.0 if apart else row[BETA_STAR]
        lane[2] = -row[GAMMA] / (1.0 - row[ALPHA]) if shared else 0.0
    elif entry == BETA_STAR:
        lane[1] = 1.0 if apart else row[ALPHA]
    elif entry == GAMMA:
        lane[2] = 1.0 - row[ALPHA] if shared else 1.0
    elif entry == PHI:
        lane[3] = 1.0
    elif entry == LEVEL:
        lane[4] = 1.0
    elif entry == SLOPE:
        lane[5] = 1.0


class Sample(NamedTuple):
    """What a form is judged on: values, the form, the least mean square that is told from zero."""

    y: FloatArray
    form: Form
    floor: float


class By(NamedTuple):
    """Entries of the row to differentiate by, shape (k,).

    `shared` says that gamma stands for its share of 1 - alpha, `apart` that Holt's constant stands for beta itself.
    """

    which: IntArray
    shared: bool
    apart: bool


@kernel
def slopes(
    sample: Sample, row: FloatArray, by: By, work: FloatArray, gradient: FloatArray, hessian: FloatArray
) -> float:
    """Half the deviance as `half_deviance` has it, with its derivatives.

    The Hessian is that of Gauss and Newton: a multiplicative error times the geometric mean of the forecasts is a
    residual whose squared sum the likelihood minimises.

    Parameters
    ----------
    sample : Sample
    row : ndarray
        As in `recursion`.
    by : By
    work : ndarray, shape (`slopes_work`,)
    gradient : ndarray, shape (k,)
    hessian : ndarray, shape (k, k)
        Filled; of the Hessian the lower triangle.
    """
    y, form, floor = sample
    which, shared, apart = by
    n, k, m = y.size, which.size, form.m
    padded = (k + LANES - 1) // LANES * LANES
    path = work[: PATHS * n].reshape((PATHS, n))
    ds = work[PATHS * n : PATHS * n + LANES * m].reshape((m, LANES))
    s = work[PATHS * n + LANES * m : PATHS * n + (LANES + 1) * m]
    logs_by = work[PATHS * n + (LANES + 1) * m :][:padded]
    changes = work[PATHS * n + (LANES + 1) * m + padded :][: padded * n].reshape((padded, n))
    path[RESIDUAL, :] = 0.0
    total, logs, count = _run(y, form, row, s, path)
    if not math.isfinite(total):
        return np.inf
    lanes = np.empty((LANES, 6))
    for first in range(0, k, LANES):
        ds[:, :] = 0.0
        for lane in range(LANES):
            entry = which[first + lane] if first + lane < k else -1
            _lane(entry, row, shared, apart, lanes[lane])
            if entry >= STARTS:
                ds[entry - STARTS, lane] = 1.0
        _three(y, form, row, lanes, path, ds, changes[first:], logs_by[first:])
    per = count / max(total, floor * count)
    for j in range(k):
        gradient[j] = _dot(path, RESIDUAL, changes, j, n)
        logs_by[j] /= count
        for i in range(j + 1):
            crossed = gradient[j] * logs_by[i] + gradient[i] * logs_by[j] + total * logs_by[j] * logs_by[i]
            hessian[j, i] = per * (_dot(changes, i, changes, j, n) + crossed)
    for j in range(k):
        gradient[j] = per * gradient[j] + count * logs_by[j]
    return half_deviance(total, logs, count, floor)
