"""What estimation adds to the uncertainty of smoothing forecasts: parameter rows drawn around the estimates.

Symbols and parameter rows are those of `smoothing`.
"""

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.smoothing.recursion import ALPHA, BETA_STAR, GAMMA, NONE, STARTS, Form
from veridex.core.numerics.smoothing.region import (
    ALL_ESTIMATED,
    LEVEL_ESTIMATED,
    SHARES,
    Asked,
    is_stable,
    sought_entries,
)
from veridex.core.numerics.smoothing.slopes import By, Sample, slopes, slopes_work

__all__ = ["draw_rows"]

LONGEST_SEASON = 60
"""Starting seasons are drawn up to this length; the information on more of them is a guess."""


def draw_rows(
    y: FloatArray, form: Form, region: int, fixed: FloatArray, row: FloatArray, count: int, rng: np.random.Generator
) -> FloatArray:
    """Draw parameter rows from the large-sample law of the estimates.

    Constants and starting states (the season's too) are drawn from the normal law with the inverse information of
    Gauss and Newton, cut at the walls of the region: a constant on a wall is drawn to one side. What is stated is
    held. The variance is drawn from its scaled inverse chi-squared law.

    Parameters
    ----------
    y : ndarray, shape (n,)
    form, region, fixed
        As in `estimate_smoothing`.
    row : ndarray, shape (STARTS + m + 1,)
        The estimates.
    count : int
    rng : Generator

    Returns
    -------
    ndarray, shape (count, STARTS + m + 1)
    """
    starts = ALL_ESTIMATED if form.season != NONE and form.m <= LONGEST_SEASON else LEVEL_ESTIMATED
    sought = sought_entries(form, Asked(region, starts, fixed))
    which, k = sought.which, sought.which.size
    gradient, hessian, work = np.empty(k), np.empty((k, k)), np.empty(slopes_work(y.size, form.m, k))
    # beta itself, not its share of alpha, has a law near the normal one where alpha is small.
    value = slopes(Sample(y, form, 1e-300), row, By(which, False, True), work, gradient, hessian)
    rows = np.tile(row, (count, 1))
    known = int(np.count_nonzero(~np.isnan(y)))
    degrees = max(known - sought.constants - 1 - (form.trend != NONE) - (form.m - 1), 1)
    rows[:, -1] *= degrees / rng.chisquare(degrees, size=count)
    scale = np.sqrt(np.diag(hessian))
    if k == 0 or not np.isfinite(value) or not (scale > 0.0).all():
        return rows
    lower = np.tril(hessian) / np.outer(scale, scale)
    information = lower + np.tril(lower, -1).T
    values, vectors = np.linalg.eigh(information)
    root = vectors / np.sqrt(np.maximum(values, 1e-8 * values[-1]))
    # The information is about a variance of one; the deviance has the variance divided out already.
    rows[:, BETA_STAR] *= row[ALPHA]
    rows[:, which] += (rng.standard_normal((count, k)) @ root.T) / scale
    low, high = np.where(which == BETA_STAR, 0.0, sought.low), np.where(which == BETA_STAR, np.inf, sought.high)
    rows[:, which] = np.clip(rows[:, which], low, high)
    if np.isnan(fixed[BETA_STAR]):
        # A level that does not move has no share to pass on.
        rows[:, BETA_STAR] = np.where(
            rows[:, ALPHA] > 0.0, rows[:, BETA_STAR] / np.maximum(rows[:, ALPHA], 1e-300), 0.0
        )
    else:
        rows[:, BETA_STAR] = fixed[BETA_STAR]
    if region == SHARES:
        rows[:, BETA_STAR] = np.minimum(rows[:, BETA_STAR], 1.0)
        rows[:, GAMMA] = np.minimum(rows[:, GAMMA], 1.0 - rows[:, ALPHA])
    else:
        for i in range(count):
            if not is_stable(form, rows[i]):
                rows[i, :STARTS] = row[:STARTS]
    return rows
