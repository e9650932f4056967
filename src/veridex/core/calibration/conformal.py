"""Conformal calibration: how far forecasts were off at past origins, in units of their standard errors.

The half-width of an interval is a quantile of the sizes of past errors, each divided by the standard error that its
forecast was given, times the standard error of the new forecast. A lead time is pooled with its two neighbours; the
quantile is the ceil((n + 1) level)-th smallest of n, so that it covers at least the level for exchangeable errors.
Where that is beyond the largest, a normal law goes on from it.

References
----------
.. [1] Vovk, Gammerman and Shafer (2005), Algorithmic Learning in a Random World, chapter 2.
.. [2] Lei, G'Sell, Rinaldo, Tibshirani and Wasserman (2018), Journal of the American Statistical Association 113,
   1094-1111, section 5.2 (errors scaled by a spread).
"""

import math
from typing import Any

import numpy as np
from scipy.special import ndtri

from veridex.core.arrays import FloatArray, IntArray

__all__ = ["conformal_quantiles", "growing", "left_out_quantiles", "nested"]


NEIGHBOURS = 1
"""Lead times on either side that a lead time is pooled with."""


def conformal_quantiles(scores: FloatArray, levels: tuple[float, ...]) -> FloatArray:
    """Conformal quantiles of scaled absolute errors.

    Parameters
    ----------
    scores : ndarray, shape (origins, steps)
        NaN where there is no actual.
    levels : tuple of float
        In percent.

    Returns
    -------
    ndarray, shape (levels, steps)
        Levels that so few scores cannot tell go on from the largest score as a normal law does; NaN without scores.

    Examples
    --------
    >>> conformal_quantiles(np.arange(1.0, 10.0)[:, None], (80.0, 95.0)).ravel().round(2)
    array([ 8.  , 10.72])
    """
    pooled, _ = _pooled(scores)
    counts = (~np.isnan(pooled)).sum(axis=1)
    found = np.full((len(levels), scores.shape[1]), np.nan)
    known = np.flatnonzero(counts)
    for j, level in enumerate(levels):
        ranks = np.minimum(_ranks(counts, level), counts)
        found[j, known] = pooled[known, ranks[known] - 1] * _beyond(counts[known], level)
    return found


@np.errstate(all="ignore")
def _beyond(counts: IntArray, level: float) -> FloatArray:
    """How much further than the largest of so many scores a level lies that they cannot tell; 1 where they can.

    The largest of n scores has the level n / (n + 1); normal quantiles go on from there, so that no level is told in
    another way than its neighbours and bounds do not jump.
    """
    further = ndtri(0.5 + level / 200.0) / ndtri(0.5 + 0.5 * counts / (counts + 1.0))
    return np.asarray(np.where(_ranks(counts, level) > counts, further, 1.0))


def left_out_quantiles(scores: FloatArray, levels: tuple[float, ...]) -> FloatArray:
    """The same for each origin from the scores of all others, shape (origins, levels, steps)."""
    origins, steps = scores.shape
    pooled, owner = _pooled(scores)
    others = ~np.isnan(pooled) & (owner != np.arange(origins)[:, None, None])
    place = np.cumsum(others, axis=2)
    counts = place[:, :, -1]
    found = np.empty((origins, len(levels), steps))
    for j, level in enumerate(levels):
        ranks = np.maximum(np.minimum(_ranks(counts, level), counts), 1)
        at = np.argmax(place >= ranks[:, :, None], axis=2)
        found[:, j] = np.where(counts > 0, pooled[np.arange(steps), at] * _beyond(counts, level), np.nan)
    return found


def _ranks(counts: IntArray, level: float) -> IntArray:
    return np.asarray(np.maximum(np.ceil((counts + 1) * level / 100.0 - 1e-9).astype(np.int64), 1))


def _pooled(scores: FloatArray) -> tuple[FloatArray, IntArray]:
    """Per step the sorted scores of it and its neighbours, NaN last, and the origin of each; (steps, pool)."""
    origins, steps = scores.shape
    width = 2 * NEIGHBOURS + 1
    wide = np.full((origins, steps + 2 * NEIGHBOURS), np.nan)
    wide[:, NEIGHBOURS : NEIGHBOURS + steps] = scores
    stack = np.concatenate([wide[:, k : k + steps] for k in range(width)]).T
    owner = np.tile(np.arange(origins), width)
    order = np.argsort(stack, axis=1, kind="stable")
    return np.take_along_axis(stack, order, axis=1), owner[order]


def growing(halves: FloatArray) -> FloatArray:
    """Half-widths (..., steps) that never shrink with the lead time; NaN where there is none."""
    known = ~np.isnan(halves)
    grown = np.maximum.accumulate(np.where(known, halves, -math.inf), axis=-1)
    return np.where(known, grown, np.nan)


def nested(points: FloatArray, lower: FloatArray, upper: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Bounds (..., levels, steps) whose distances from the points (..., steps) shrink with neither lead time nor level.

    Levels ascend. Each side keeps its own distance: bounds may lie further above than below.
    """
    centre: Any = points[..., None, :]
    below, above = growing(centre - lower), growing(upper - centre)
    for j in range(1, below.shape[-2]):
        for side in (below, above):
            inner = np.where(np.isnan(side[..., j, :]), np.nan, side[..., j - 1, :])
            side[..., j, :] = growing(np.fmax(side[..., j, :], inner))
    return centre - below, centre + above
