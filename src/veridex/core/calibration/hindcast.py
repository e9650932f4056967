"""What a choice would have forecast at each origin by what was known there, and where actuals stood in its laws."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from scipy.special import ndtr, ndtri

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.calibration.sums import added, law_of_sum, spread_of_sums
from veridex.core.laws.transforms import drawn_shares, transforms
from veridex.core.laws.warp import FURTHEST

__all__ = ["Hindcast", "scores_of"]

FEWEST_TO_HALVE = 4
"""Origins from which on evidence has two halves."""


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

    def known_at(self, moment: int) -> BoolArray:
        """Cells (O, H) whose transforms were known at a moment."""
        found: BoolArray = ~np.isnan(self.transforms) & (self.ends <= moment)
        return found

    def middle(self, moment: int) -> int | None:
        """The middle of the origins of which something was known at a moment; None where there are fewer than four."""
        origins = self.origins[self.known_at(moment).any(axis=1)]
        return None if origins.size < FEWEST_TO_HALVE else int(origins[origins.size // 2])

    def halves(self, moment: int) -> tuple[BoolArray, BoolArray] | None:
        """Of the cells known at a moment those complete at the middle origin, and those of the origins from there on.

        None where there are fewer than four origins, or nothing is known in one of them.
        """
        known = self.known_at(moment)
        middle = self.middle(moment)
        if middle is None:
            return None
        first: BoolArray = known & (self.ends <= middle)
        later: BoolArray = known & (self.origins >= middle)[:, None]
        return (first, later) if first.any() and later.any() else None

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
