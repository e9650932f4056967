"""What estimation adds to the uncertainty of smoothing forecasts: parameter rows drawn around the estimates.

Symbols and parameter rows are those of `smoothing`.
"""

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.smoothing.recursion import (
    ALPHA,
    BETA_STAR,
    GAMMA,
    NONE,
    Form,
    half_deviance,
    recursion,
)
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

FLOOR = 1e-300
"""The least variance that a deviance is of."""

LONGEST_SEASON = 60
"""Starting seasons are drawn up to this length; the information on more of them is a guess."""


def draw_rows(
    y: FloatArray, form: Form, region: int, fixed: FloatArray, row: FloatArray, count: int, rng: np.random.Generator
) -> FloatArray:
    """Draw parameter rows from the large-sample law of the estimates.

    Constants and starting states (the season's too) are drawn from the normal law with the inverse information of
    Gauss and Newton, cut at the walls of the region: a constant on a wall is drawn to one side. Far from the estimates
    that law can be wrong by far: where demand bends, it draws constants with which the form has lost the demand. So a
    row is kept with the share of the likelihood that it has to that which the law says, and one that is not kept gives
    way to one that is (rejection sampling, Robert and Casella, Monte Carlo Statistical Methods, 2004, section 2.3).
    What is stated is held. The variance is drawn from its scaled inverse chi-squared law.

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
    value = slopes(Sample(y, form, FLOOR), row, By(which, False, True), work, gradient, hessian)
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
    center = rows[0, which].copy()
    rows[:, which] += (rng.standard_normal((count, k)) @ root.T) / scale
    low, high = np.where(which == BETA_STAR, 0.0, sought.low), np.where(which == BETA_STAR, np.inf, sought.high)
    rows[:, which] = np.clip(rows[:, which], low, high)
    expected = 0.5 * np.sum(np.linalg.solve(root, ((rows[:, which] - center) * scale).T) ** 2, axis=0)
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
    stable = np.array([region == SHARES or is_stable(form, one) for one in rows])
    found = np.empty(count)
    half_deviances(y, form, rows, found)
    kept = stable & (np.log(rng.random(count)) <= value + expected - found)
    rows[~kept, :-1] = rows[rng.choice(np.flatnonzero(kept), size=count - kept.sum()), :-1] if kept.any() else row[:-1]
    return rows


@kernel
def half_deviances(y: FloatArray, form: Form, rows: FloatArray, found: FloatArray) -> None:
    """Half the deviance of demand under each parameter row."""
    states, fitted = np.empty(2 + form.m), np.empty(y.size)
    for i in range(rows.shape[0]):
        total, logs, count = recursion(y, form.error, form.trend, form.season, form.m, rows[i], states, fitted)
        found[i] = half_deviance(total, logs, count, FLOOR)
