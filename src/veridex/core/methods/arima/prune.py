"""Dropping insignificant lags of an ARIMA model, one at a time."""

import numpy as np
from scipy.special import ndtr

from veridex.core.arrays import FloatArray
from veridex.core.methods.arima.fitting import Attempt, attempt, size_of
from veridex.core.methods.arima.tables import arima_covariance
from veridex.core.methods.fold.status import Status

__all__ = ["pruned"]


def pruned(
    found: Attempt, y: FloatArray, significance: float, x: FloatArray | None = None, conditional: bool = False
) -> Attempt:
    """Drop the lag with the largest p-value and estimate anew, as long as that is above `significance`.

    Backward elimination (Draper and Smith, 1998, Applied Regression Analysis, 3rd ed., section 15.2). A lag without a
    standard error stays.
    """
    while found.status <= Status.DONE:
        k = size_of(found.orders)
        codes = (*found.orders, found.row.size - k - 2)
        row = np.concatenate((np.array(codes, dtype=np.float64), found.row))
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
