"""Averages of models by weights: a mixture of their laws."""

from collections.abc import Callable, Sequence

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.laws.components import put_mixture
from veridex.core.methods.fold.plan import Plan, Rows

__all__ = ["criterion_weights", "mix"]


def criterion_weights(values: FloatArray) -> FloatArray:
    """Weights exp(-criterion / 2) that sum to one (Burnham and Anderson, 2002, section 4.2)."""
    weights = np.exp(-0.5 * (values - values.min()))
    return np.asarray(weights / weights.sum())


def mix(plan: Plan, n: int, members: Sequence[tuple[float, Callable[[Rows], object]]], out: Rows) -> None:
    """Fill `out` with weighted means of the members' forecasts and fitted values, and the mixture of their laws.

    Parameters
    ----------
    plan : Plan
    n : int
        Length of the history.
    members : sequence of tuple
        The weight of each, weights summing to one, and what fills rows with its forecasts.
    out : Rows
        Also used as scratch for the members.
    """
    sums, laws = Rows.allocate(plan, n), []
    for array in (sums.points, sums.std_error, sums.fitted):
        array.fill(0.0)
    for weight, fill in members:
        fill(out)
        sums.points += weight * out.points
        sums.std_error += weight * (out.std_error**2 + out.points**2)
        laws.append((weight, out.law[:, :1].copy()))
        sums.fitted += weight * out.fitted
    out.points[:], out.fitted[:] = sums.points, sums.fitted
    put_mixture(out.law, laws)
    out.std_error[:] = np.sqrt(np.maximum(sums.std_error - sums.points**2, 0.0))
