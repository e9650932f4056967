"""An ARIMA model of given orders: fitted to a span, forecast from its end; from all origins of an item in one call."""

import math

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.methods.arima.judging import is_refused
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.plan import put_estimated
from veridex.core.methods.fold.status import Status
from veridex.core.numerics.arima import search
from veridex.core.numerics.arima.models import Orders, lost, replay_arima, small_size
from veridex.core.numerics.compiled import copy_into, inlined, kernel
from veridex.core.numerics.plain import told

__all__ = ["CODES", "FEWEST_TO_SEARCH", "fewest", "fit_orders", "hindrance", "known_end", "replay_bare", "roll_orders"]

CODES = 9
"""A row begins with the orders and the number of drivers; then coefficients, effects of drivers, constant, variance."""

FEWEST_TO_SEARCH = 8

DONE, NOT_CONVERGED = int(Status.DONE), int(Status.NOT_CONVERGED)
NO_FIT, NO_SEASON, TOO_SHORT = int(Status.NO_FIT), int(Status.NO_SEASON), int(Status.TOO_SHORT)
CONSTANT = int(Status.CONSTANT)


@kernel
def fewest(orders: Orders, drivers: int) -> int:
    """Known values that a model needs."""
    return lost(orders) + small_size(orders) + drivers + orders.constant + 3


@inlined
def fit_orders(
    y: FloatArray,
    x: FloatArray,
    drivers: int,
    orders: Orders,
    free: IntArray,
    warm: FloatArray,
    row: FloatArray,
    stats: FloatArray,
) -> int:
    """Estimate a model unless something stands in the way; how it ended, as a `Status`.

    `x` holds those of so many `drivers` whose effects can be told; the others as in `estimate_arima`.
    """
    if orders.m < 2 and orders.P + orders.D + orders.Q > 0:
        return NO_SEASON
    if told(y)[0] < fewest(orders, drivers):
        return TOO_SHORT
    ended = search.estimate_arima(y, x, orders, free, warm, row, stats)
    if ended == search.DONE:
        return DONE
    if ended == search.NOT_CONVERGED:
        return NOT_CONVERGED
    return CONSTANT if ended == search.PERFECT else NO_FIT


@kernel
def hindrance(y: FloatArray) -> int:
    """Why no orders can be searched; DONE where they can."""
    known, lowest, highest = told(y)
    if known < FEWEST_TO_SEARCH:
        return TOO_SHORT
    return CONSTANT if lowest == highest else DONE


@kernel
def known_end(y: FloatArray) -> int:
    """Periods up to the last known value."""
    n = y.size
    while n > 0 and math.isnan(y[n - 1]):
        n -= 1
    return n


@kernel
def replay_bare(
    y: FloatArray, orders: Orders, row: FloatArray, fitted: FloatArray, points: FloatArray, std_error: FloatArray
) -> bool:
    """Filter with given coefficients, constant and variance, and forecast from the end; whether that can be done.

    Unknown values at the end lengthen the way.
    """
    last = known_end(y)
    if last <= lost(orders):
        return False
    gap = y.size - last
    if gap == 0:
        return bool(replay_arima(y, orders, row, fitted, points, std_error) and math.isfinite(points[0]))
    ahead, spread = np.empty(points.size + gap), np.empty(points.size + gap)
    if not replay_arima(y[:last], orders, row, fitted[:last], ahead, spread):
        return False
    copy_into(fitted[last:], ahead)
    copy_into(points, ahead[gap:])
    copy_into(std_error, spread[gap:])
    return math.isfinite(points[0])


@kernel
def roll_orders(
    folds: Folds, first: int, orders: Orders, free: IntArray, searched: bool, warm: FloatArray, none: FloatArray
) -> int:
    """Estimate given orders from every origin from `first` on, each from the optimum of the one before, and forecast.

    Where they were `searched`, folds that search anew, or that refuse them, are not run.

    Parameters
    ----------
    folds : Folds
    first : int
    orders, free, warm
        As in `estimate_arima`.
    searched : bool
    none : ndarray, shape (spans' periods, 0)
        No drivers.

    Returns
    -------
    int
        The fold that was not run; the number of folds where all were.
    """
    k = small_size(orders)
    for o in range(first, folds.status.size):
        if searched and o > first and folds.anew[o]:
            return o
        if folds.status[o] > 0:
            continue
        begin, end = folds.ends[o], folds.ends[o + 1]
        y, row = folds.values[begin:end], folds.rows[o]
        known = y[: known_end(y)]
        if searched and hindrance(known) != DONE:
            folds.status[o] = hindrance(known)
            continue
        own = row[CODES : CODES + k + 2]
        status = fit_orders(known, none[: known.size], none.shape[1], orders, free, warm, own, folds.stats[o])
        if searched and (status > 0 or is_refused(orders, own)):
            return o
        folds.status[o] = status
        if status > 0:
            continue
        row[:CODES] = 0.0
        row[CODES + k + 2 :] = 0.0
        for j in range(CODES - 1):
            row[j] = orders[j]
        points, std_error = folds.points[o], folds.std_error[o]
        if not replay_bare(y, orders, own, folds.fitted[begin:end], points, std_error):
            folds.status[o] = NO_FIT
        used = max(told(y)[0] - lost(orders), 1)
        put_estimated(folds.law[o], points, std_error, used, k + orders.constant, False)
    return folds.status.size
