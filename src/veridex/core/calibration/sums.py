"""Laws of sums: over lead times whose errors go together, over items whose errors do."""

from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.laws.components import NUMBERS, Kind, put
from veridex.core.laws.laws import Laws

__all__ = ["added", "law_of_sum", "spread_of_group", "spread_of_sums"]


def added(points: FloatArray, first: int) -> FloatArray:
    """Sums (..., H) from a lead time on up to each later one, NaN before it."""
    found = np.full(points.shape, np.nan)
    found[..., first - 1 :] = np.cumsum(points[..., first - 1 :], axis=-1)
    return found


def law_of_sum(mean: FloatArray, spread: FloatArray, floor: Any, whole: Any) -> Laws:
    """The law of sums (..., H) with these means and standard deviations, of demand with a support.

    Two moments and the support make it: normal, or gamma or negative binomial where demand never is below zero. Its
    quantiles are exact for sums of independent Poisson laws and for normal ones, near for others (Snyder, Ord and
    Beaumont, 2012, International Journal of Forecasting 28, 485-496); what that leaves is measured, since
    the same law stands for past sums.
    """
    law = np.full((mean.size, 1, NUMBERS), np.nan)
    put(law, Kind.NORMAL, mean.ravel(), spread.ravel())
    return Laws.of(law.reshape(*mean.shape, 1, NUMBERS), floor, whole)


def spread_of_sums(spread: FloatArray, dependence: FloatArray, first: int = 1) -> FloatArray:
    """Standard deviations of sums from lead time `first` up to each, given those (..., H) of the lead times.

    NaN before the first. `dependence` are correlations, shape (H, H).
    """
    found, own = np.full(spread.shape, np.nan), spread[..., first - 1 :]
    products = own[..., :, None] * dependence[first - 1 :, first - 1 :] * own[..., None, :]
    variance = np.diagonal(np.cumsum(np.cumsum(products, axis=-1), axis=-2), axis1=-2, axis2=-1)
    found[..., first - 1 :] = np.sqrt(np.maximum(variance, 0.0))
    return found


def spread_of_group(spreads: FloatArray, shared: float) -> FloatArray:
    """Standard deviations of sums over items (items, ...) whose errors have this correlation with each other."""
    squares, total = np.square(spreads).sum(axis=0), spreads.sum(axis=0)
    return np.asarray(np.sqrt((1.0 - shared) * squares + shared * total**2))
