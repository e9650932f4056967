"""Dropping insignificant lags and drivers of an ARIMA model, one at a time."""

import numpy as np
from scipy.special import ndtr

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.methods.arima.fitting import Attempt, attempt, size_of
from veridex.core.methods.arima.tables import arima_covariance
from veridex.core.methods.fold.criteria import to_stay
from veridex.core.methods.fold.status import Status

__all__ = ["pruned", "with_chosen_drivers"]


def pruned(
    found: Attempt, y: FloatArray, significance: float, x: FloatArray | None = None, conditional: bool = False
) -> Attempt:
    """Drop the lag with the largest p-value and estimate anew, as long as that is above `significance`.

    Backward elimination (Draper and Smith, 1998, Applied Regression Analysis, 3rd ed., section 15.2). A lag without a
    standard error stays.
    """
    while found.status <= Status.DONE:
        k = size_of(found.orders)
        row = _coded(found)
        free = (found.row[:k] != 0.0).astype(np.int64)
        errors = np.sqrt(np.diag(arima_covariance(y, row, x, conditional)))
        lags = np.flatnonzero(free)
        with np.errstate(divide="ignore", invalid="ignore"):
            p_values = 2.0 * ndtr(-np.abs(found.row[lags] / errors[lags]))
        p_values = np.nan_to_num(p_values, nan=0.0)
        if lags.size == 0 or p_values.max() <= significance:
            return found
        free[lags[int(np.argmax(p_values))]] = 0
        smaller = attempt(found.orders, y, None, free, x, conditional)
        if smaller.status > Status.DONE:
            return found
        found = smaller
    return found


def with_chosen_drivers(
    found: Attempt, y: FloatArray, x: FloatArray, drivers: int, free: IntArray | None, conditional: bool
) -> Attempt:
    """Leave out the driver with the smallest ratio to its standard error, as long as it explains too little.

    Parameters
    ----------
    found : Attempt
        With all of them.
    y : ndarray, shape (n,)
    x : ndarray, shape (n, r)
        Drivers first, then what stays whatever it explains.
    drivers : int
        How many of the columns are drivers.
    free : ndarray of int, optional
        Which coefficients are estimated.
    conditional : bool
    """
    x = x.copy()
    while found.status <= Status.DONE:
        k = size_of(found.orders)
        effects = found.row[k : k + drivers]
        errors = np.sqrt(np.diag(arima_covariance(y, _coded(found), x, conditional)))[k : k + drivers]
        with np.errstate(divide="ignore", invalid="ignore"):
            ratios = np.where(effects != 0.0, np.nan_to_num(np.abs(effects / errors), nan=np.inf), np.inf)
        weakest = int(np.argmin(ratios)) if drivers else 0
        if not drivers or ratios[weakest] ** 2 >= to_stay(int(np.count_nonzero(~np.isnan(y)))):
            return found
        x[:, weakest] = 0.0
        smaller = attempt(found.orders, y, None, free, x, conditional)
        if smaller.status > Status.DONE:
            return found
        found = smaller
    return found


def _coded(found: Attempt) -> FloatArray:
    """The parameter row of an attempt, its codes before it."""
    codes = (*found.orders, found.row.size - size_of(found.orders) - 2)
    return np.concatenate((np.array(codes, dtype=np.float64), found.row))
