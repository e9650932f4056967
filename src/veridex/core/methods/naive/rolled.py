"""The naive family over all folds of an item, in one call of one kernel."""

import math

from veridex.core.arrays import IntArray
from veridex.core.laws.components import put_direct
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.status import Status
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.plain import (
    drift_ahead,
    estimate_drift,
    estimate_mean,
    estimate_naive,
    estimate_seasonal_naive,
    mean_ahead,
    naive_ahead,
    seasonal_naive_ahead,
)

__all__ = ["DRIFT", "MEAN", "NAIVE", "SEASONAL_NAIVE", "roll_plain"]

MEAN, NAIVE, DRIFT, SEASONAL_NAIVE = 0, 1, 2, 3

TOO_SHORT, NO_SEASON = int(Status.TOO_SHORT), int(Status.NO_SEASON)


@kernel
def roll_plain(kind: int, folds: Folds, lags: IntArray) -> None:
    """Estimate and forecast from every origin; `lags` are the seasons of each fold, where it is seasonal."""
    for o in range(folds.status.size):
        if folds.status[o] > 0:
            continue
        begin, end = folds.ends[o], folds.ends[o + 1]
        y, fitted = folds.values[begin:end], folds.fitted[begin:end]
        row, points, std_error = folds.rows[o], folds.points[o], folds.std_error[o]
        done, degrees = False, math.nan
        if kind == MEAN:
            done = estimate_mean(y, row, folds.stats[o])
            if done:
                mean_ahead(row, fitted, points, std_error)
                degrees = row[2] - 1.0
        elif kind == NAIVE:
            done = estimate_naive(y, row, folds.stats[o])
            if done:
                naive_ahead(y, row, fitted, points, std_error)
        elif kind == DRIFT:
            done = estimate_drift(y, row, folds.stats[o])
            if done:
                drift_ahead(y, row, fitted, points, std_error)
        elif lags[o] < 2:
            folds.status[o] = NO_SEASON
            continue
        elif y.size > lags[o]:
            done = estimate_seasonal_naive(y, lags[o], row, folds.stats[o])
            if done:
                seasonal_naive_ahead(y, row, fitted, points, std_error)
        if done:
            put_direct(folds.law[o], points, std_error, 1.0, degrees)
        else:
            folds.status[o] = TOO_SHORT
