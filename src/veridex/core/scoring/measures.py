"""Point and interval measures, all computed from sums over (actual, forecast) cells.

Error is actual - forecast. A cell enters as a row of terms; terms add up, so that the same few lines score a
training span, a holdout, a lead time or an item. A measure that an item does not have (MAPE with a zero
actual, MASE without a scale) is NaN for that item, and a portfolio figure is the mean of the items that have it.

References
----------
.. [1] Hyndman and Koehler (2006), International Journal of Forecasting 22, 679-688 (MASE and RMSSE; definitions
   of the others).
.. [2] Gneiting and Raftery (2007), Journal of the American Statistical Association 102, 359-378 (interval score).
.. [3] Theil (1966), Applied Economic Forecasting, chapter 2 (U: against the last known value).
"""

import math
from typing import TypeVar

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.compiled import kernel

__all__ = [
    "CELL",
    "MEASURES",
    "TERMS",
    "badness",
    "grouped_sums",
    "interval_terms",
    "measures_from_sums",
    "naive_scales",
    "training_sums",
]


(COUNT, ERROR, ABS_ERROR, SQ_ERROR, SHARE, ABS_SHARE, SYMMETRIC, ABS_ACTUAL) = range(8)
(SCALED, SQ_SCALED, ACTUAL, FORECAST, SQ_ACTUAL, SQ_FORECAST, CROSSED, SQ_CHANGE, SQ_PAIRED) = range(8, 17)
TERMS = 17
"""Length of a row of terms."""

CELL = 6
"""Numbers that the terms of a cell are made of."""

MEASURES = (
    "me",
    "mae",
    "mse",
    "rmse",
    "mpe",
    "mape",
    "smape",
    "wape",
    "mase",
    "rmsse",
    "correlation",
    "accuracy",
    "bias",
    "theils_u",
)


@kernel
def naive_scales(y: FloatArray, season_length: int) -> tuple[float, float]:
    """Mean absolute and mean squared change over a season in a training span: the scales of MASE and RMSSE.

    NaN where the span has no such change or none that differs from zero.
    """
    count, size, square = 0, 0.0, 0.0
    for t in range(season_length, y.size):
        change = abs(y[t] - y[t - season_length])
        if not math.isnan(change):
            count += 1
            size += change
            square += change * change
    return (size / count, square / count) if size > 0.0 else (np.nan, np.nan)


@kernel
def add_terms(
    sums: FloatArray, y: float, forecast: float, scale: float, square_scale: float, centre: float, last: float
) -> None:
    """Add the terms of a cell, whose actual and forecast are known, to a row of sums (TERMS,).

    Scales are those of `naive_scales` of the cell's training span; `centre`, a typical actual, is subtracted before
    products are summed, so that the correlation keeps its digits; `last` is the last known actual, NaN where there was
    none.
    """
    error = y - forecast
    size, square = abs(error), error * error
    both = abs(y) + abs(forecast)
    share = np.nan if y == 0.0 else 100.0 * error / y
    a, f = y - centre, forecast - centre
    sums[COUNT] += 1.0
    sums[ERROR] += error
    sums[ABS_ERROR] += size
    sums[SQ_ERROR] += square
    sums[SHARE] += share
    sums[ABS_SHARE] += abs(share)
    sums[SYMMETRIC] += 0.0 if both == 0.0 else 200.0 * size / both
    sums[ABS_ACTUAL] += abs(y)
    sums[SCALED] += size / scale
    sums[SQ_SCALED] += square / square_scale
    sums[ACTUAL] += a
    sums[FORECAST] += f
    sums[SQ_ACTUAL] += a * a
    sums[SQ_FORECAST] += f * f
    sums[CROSSED] += a * f
    change = (y - last) ** 2
    if math.isfinite(change):
        sums[SQ_CHANGE] += change
        sums[SQ_PAIRED] += square


@kernel
def grouped_sums(cells: FloatArray, groups: IntArray, sums: FloatArray) -> None:
    """Sums of the terms of cells, by the group that each belongs to.

    Parameters
    ----------
    cells : ndarray, shape (CELL, n)
        Actual, forecast, scale, squared scale, centre and last known actual of each; see `add_terms`.
    groups : ndarray of int, shape (n,)
    sums : ndarray, shape (groups, TERMS)
        Filled.
    """
    sums[:] = 0.0
    for k in range(groups.size):
        row = sums[groups[k]]
        add_terms(row, cells[0, k], cells[1, k], cells[2, k], cells[3, k], cells[4, k], cells[5, k])


@kernel
def one_step_sums(
    actual: FloatArray, fitted: FloatArray, scale: float, square_scale: float, centre: float, sums: FloatArray
) -> None:
    """Sums of the terms of one-step forecasts in a row, each made when the actual before it was the last known.

    Parameters
    ----------
    actual, fitted : ndarray, shape (n,)
        NaN where there is none.
    scale, square_scale, centre : float
        As in `add_terms`.
    sums : ndarray, shape (TERMS,)
        Filled.
    """
    sums[:] = 0.0
    for t in range(actual.size):
        if not math.isnan(actual[t] - fitted[t]):
            last = actual[t - 1] if t > 0 else np.nan
            add_terms(sums, actual[t], fitted[t], scale, square_scale, centre, last)


@kernel
def training_sums(
    actuals: FloatArray,
    fitted: FloatArray,
    ends: IntArray,
    status: IntArray,
    scales: FloatArray,
    centre: float,
    sums: FloatArray,
) -> None:
    """`one_step_sums` of the training spans of several folds (O), which stand end to end.

    Parameters
    ----------
    actuals, fitted : ndarray
    ends : ndarray of int, shape (O + 1,)
        Where each span begins, and where the last one ends.
    status : ndarray of int, shape (O,)
        Sums of folds above zero are left alone.
    scales : ndarray, shape (O, 2)
    centre : float
    sums : ndarray, shape (O, TERMS)
        Filled.
    """
    for o in range(status.size):
        if status[o] <= 0:
            own = actuals[ends[o] : ends[o + 1]], fitted[ends[o] : ends[o + 1]]
            one_step_sums(own[0], own[1], scales[o, 0], scales[o, 1], centre, sums[o])


def interval_terms(actual: FloatArray, lower: FloatArray, upper: FloatArray, level: float) -> FloatArray:
    """Coverage (in percent), width, interval score and pinball loss of each cell at one level in percent; shape (4, n).

    The interval score adds to the width 2 / a times the distance by which an actual lies outside, with a = 1 - level
    / 100. The pinball loss is the mean of those of the two bounds, as quantiles a / 2 and 1 - a / 2: a / 4 of that
    score.
    """
    width = upper - lower
    outside = np.maximum(lower - actual, 0.0) + np.maximum(actual - upper, 0.0)
    inside = np.where((lower <= actual) & (actual <= upper), 100.0, 0.0)
    beyond = 1.0 - level / 100.0
    score = width + outside * 2.0 / beyond
    return np.stack((inside, width, score, 0.25 * beyond * score))


def measures_from_sums(sums: FloatArray) -> dict[str, FloatArray]:
    """Measures from summed terms.

    Parameters
    ----------
    sums : ndarray, shape (TERMS, ...)

    Returns
    -------
    dict of str to ndarray
        The keys of `MEASURES`, each of the sums' remaining shape; mpe, mape, smape, wape and accuracy in percent.
    """
    with np.errstate(all="ignore"):
        n = np.where(sums[COUNT] > 0, sums[COUNT], np.nan)
        mean = sums / n
        spread_a = mean[SQ_ACTUAL] - mean[ACTUAL] ** 2
        spread_f = mean[SQ_FORECAST] - mean[FORECAST] ** 2
        crossed = mean[CROSSED] - mean[ACTUAL] * mean[FORECAST]
        # Rounding leaves a constant forecast a spread of its own size times the machine's precision.
        flat = (spread_f <= 1e-12 * (mean[SQ_FORECAST] + 1e-300)) | (spread_a <= 1e-12 * (mean[SQ_ACTUAL] + 1e-300))
        return {
            "me": mean[ERROR],
            "mae": mean[ABS_ERROR],
            "mse": mean[SQ_ERROR],
            "rmse": np.sqrt(mean[SQ_ERROR]),
            "mpe": mean[SHARE],
            "mape": mean[ABS_SHARE],
            "smape": mean[SYMMETRIC],
            "wape": np.where(sums[ABS_ACTUAL] > 0, 100.0 * sums[ABS_ERROR] / sums[ABS_ACTUAL], np.nan),
            "mase": mean[SCALED],
            "rmsse": np.sqrt(mean[SQ_SCALED]),
            "correlation": np.where(flat, np.nan, crossed / np.sqrt(spread_a) / np.sqrt(spread_f)),
            "accuracy": 100.0 - mean[ABS_SHARE],
            "bias": np.where(sums[ABS_ACTUAL] > 0, 100.0 * sums[ERROR] / sums[ABS_ACTUAL], np.nan),
            "theils_u": np.where(sums[SQ_CHANGE] > 0, np.sqrt(sums[SQ_PAIRED] / sums[SQ_CHANGE]), np.nan),
        }


Values = TypeVar("Values", FloatArray, "pd.Series[float]")


def badness(measure: str, values: Values) -> Values:
    """Turn a measure into something of which less is better."""
    if measure in ("me", "mpe", "bias", "tracking_signal"):
        return abs(values)
    if measure in ("correlation", "accuracy"):
        return -values
    if measure.startswith("coverage_"):
        return abs(values - float(measure.removeprefix("coverage_").replace("_", ".")))
    return values
