"""Regressions on time over all folds of an item: each solved and continued, in one call."""

import math

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.laws.components import Components, put_direct
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.status import Status
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.regression.ordinary import WELL, gaussian_log_likelihood, solve

__all__ = ["HEAD", "ILL", "regression_ahead", "roll_ordinary"]

HEAD = 3
"""After the coefficients a row holds variance, degrees of freedom, and the length of the span; then comes R^-1."""

ILL = -100
"""The status of a fold whose columns nearly depend on each other: it is left to iterative refinement."""

DONE, TOO_SHORT = int(Status.DONE), int(Status.TOO_SHORT)


@kernel
def regression_ahead(
    design: FloatArray,
    offset: float,
    row: FloatArray,
    fitted: FloatArray,
    points: FloatArray,
    std_error: FloatArray,
    law: Components,
) -> None:
    """Fitted values, forecasts, their standard errors, and Student's law with the degrees of freedom in the row.

    The design (n + horizon, k) begins with the rows of the span.
    """
    n, k = fitted.size, design.shape[1]
    for t in range(n + points.size):
        value = 0.0
        for j in range(k):
            value += design[t, j] * row[j]
        if t < n:
            fitted[t] = value + offset
            continue
        points[t - n] = value + offset
        leverage = 0.0
        for i in range(k):
            felt = 0.0
            for j in range(k):
                felt += design[t, j] * row[k + HEAD + j * k + i]
            leverage += felt * felt
        std_error[t - n] = math.sqrt(row[k] * (1.0 + leverage))
    put_direct(law, points, std_error, 1.0, row[k + 1])


@kernel
def roll_ordinary(folds: Folds, design: FloatArray, offset: float) -> None:
    """Estimate by ordinary least squares from every origin, and forecast; `design` serves the longest span."""
    k, horizon = design.shape[1], folds.points.shape[1]
    coefficients, factor = np.empty(k), np.empty((k, k))
    for o in range(folds.status.size):
        if folds.status[o] > 0:
            continue
        begin, end = folds.ends[o], folds.ends[o + 1]
        y, row, stats = folds.values[begin:end], folds.rows[o], folds.stats[o]
        past, target, n = np.empty((y.size, k)), np.empty(y.size), 0
        for t in range(y.size):
            if not math.isnan(y[t]):
                target[n] = y[t] - offset
                for j in range(k):
                    past[n, j] = design[t, j]
                n += 1
        if n <= k:
            folds.status[o] = TOO_SHORT
            continue
        total, condition = solve(past[:n], target[:n], coefficients, factor)
        if total < 0.0 or condition > WELL:
            folds.status[o] = TOO_SHORT if total < 0.0 else ILL
            continue
        for j in range(k):
            row[j] = coefficients[j]
            for i in range(k):
                row[k + HEAD + j * k + i] = factor[j, i]
        row[k], row[k + 1], row[k + 2] = total / (n - k), n - k, y.size
        stats[0], stats[1], stats[2], stats[3] = gaussian_log_likelihood(total, n), n, k + 1.0, 0.0
        ahead = design[: y.size + horizon]
        regression_ahead(ahead, offset, row, folds.fitted[begin:end], folds.points[o], folds.std_error[o], folds.law[o])
