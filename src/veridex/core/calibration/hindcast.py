"""What a choice would have forecast at each origin by what was known there, and where actuals stood in its laws."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from scipy.special import ndtr, ndtri

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.calibration.sums import added, law_of_sum, spread_of_sums
from veridex.core.laws.transforms import drawn_shares, transforms
from veridex.core.laws.warp import FURTHEST
from veridex.core.numerics.known import TOLD, told_at

__all__ = ["Hindcast", "Told", "agreed", "scores_of"]

LEAST_SQUARE = 0.01
"""Scores of less mean square than this are as good as none."""


class Told(NamedTuple):
    """What the scores of items had told at moments, each of shape (n,).

    Attributes
    ----------
    cells, origins : ndarray
        How many were known, of how many origins.
    log_scale : ndarray
        The logarithm of their root mean square.
    middle : ndarray
        The middle origin; NaN with fewer than four.
    first, later : ndarray
        The mean of what was complete at it, and of what came from there on; NaN where one of them is empty.
    """

    cells: FloatArray
    origins: FloatArray
    log_scale: FloatArray
    middle: FloatArray
    first: FloatArray
    later: FloatArray

    @classmethod
    def of(cls, scores: FloatArray, origins: IntArray, begins: IntArray, ends: IntArray, moments: IntArray) -> "Told":
        """What spans of rows of scores (rows, H) had told, each at a moment of its own."""
        told = np.empty((begins.size, TOLD))
        told_at(scores, origins, begins, ends, moments, told)
        cells, squares, known, middle, first, later = told.T
        spread = 0.5 * np.log(np.maximum(squares / np.maximum(cells, 1.0), LEAST_SQUARE))
        return cls(cells, known, spread, middle, first, later)


def agreed(first: Any, later: Any) -> Any:
    """What two halves of the evidence both show: the smaller one where both lie on one side, else nothing."""
    same = np.sign(first) == np.sign(later)
    return np.where(same, np.sign(first) * np.minimum(np.abs(first), np.abs(later)), 0.0)


def scores_of(stood: FloatArray) -> FloatArray:
    """Probabilities as normal scores, none further out than evidence could tell of."""
    least = ndtr(-FURTHEST)
    return np.asarray(ndtri(np.clip(stood, least, 1.0 - least)))


@dataclass(frozen=True, eq=False, kw_only=True)
class Hindcast:
    """Forecasts of a choice at the origins of a trial, each by the weights that it would have had there.

    Attributes
    ----------
    item : str
    origins : ndarray of int, shape (O,)
        Ordinals.
    cycles : float
        Known periods up to the last origin, in seasons (of at least twelve periods).
    actuals, points, spread : ndarray, shape (O, H)
        Spread: the standard deviations of the laws.
    transforms : ndarray, shape (O, H)
        Where each actual stands in the law that was forecast for it, from 0 to 1; NaN where it is not known, or where a
        shift of the level came between.
    weights : ndarray, shape (O, H)
        The probability that the laws had at the actual itself: that of whole demand, of nothing; else nought.
    supports : ndarray, shape (O, 2)
        As in a trial.
    claimed : ndarray of bool, shape (O,)
        Origins at which there was evidence to decide from: those whose intervals count when it is said what held.
    shifts : tuple of int
        First periods of new levels that evidence was set aside for.
    """

    item: str
    origins: IntArray
    cycles: float
    actuals: FloatArray
    points: FloatArray
    spread: FloatArray
    transforms: FloatArray
    weights: FloatArray
    supports: FloatArray
    claimed: BoolArray
    shifts: tuple[int, ...] = ()

    @cached_property
    def errors(self) -> FloatArray:
        """Actual less forecast, shape (O, H)."""
        return self.actuals - self.points

    @cached_property
    def scores(self) -> FloatArray:
        """The transforms as normal scores, shape (O, H)."""
        return scores_of(self.transforms)

    @cached_property
    def edges(self) -> FloatArray:
        """Probabilities below the actuals and up to them, shape (2, O, H); bounds themselves count as inside."""
        shares = drawn_shares(self.item, self.origins, self.actuals.shape[1])
        below = self.transforms - shares * self.weights
        return np.array([below, below + self.weights])

    @cached_property
    def ends(self) -> IntArray:
        """Ordinals of the periods that are forecast, shape (O, H)."""
        return self.origins[:, None] + np.arange(1, self.actuals.shape[1] + 1)

    def told(self, moments: IntArray) -> Told:
        """What its scores had told at moments."""
        spans = np.zeros(moments.size, dtype=np.int64)
        return Told.of(self.scores, self.origins, spans, spans + self.origins.size, moments)

    def shifted(self, periods: tuple[int, ...]) -> "Hindcast":
        """The same, what was forecast across the begin of a new level set aside."""
        across = np.zeros(self.ends.shape, dtype=bool)
        for period in periods:
            across |= (self.origins[:, None] < period) & (self.ends >= period)
        if not across.any() or across[~np.isnan(self.transforms)].all():
            return self
        crossed = tuple(one for one in periods if one > self.origins[0])
        return replace(self, transforms=np.where(across, np.nan, self.transforms), shifts=crossed)

    def totals(self, dependence: FloatArray, first: int = 1) -> "Hindcast":
        """The same of demand from a lead time on up to each later one; NaN before it."""
        known = np.where(np.isnan(self.transforms), np.nan, self.actuals)
        actuals, points = (added(one, first) for one in (known, self.points))
        spread = spread_of_sums(self.spread, dependence, first)
        laws = law_of_sum(points, spread, self.supports[:, None, 0], self.supports[:, None, 1] > 0.0)
        shares = drawn_shares(f"{self.item} in total", self.origins, actuals.shape[1])
        stood = transforms(laws, actuals, shares)
        return replace(self, actuals=actuals, points=points, spread=spread, transforms=stood)
