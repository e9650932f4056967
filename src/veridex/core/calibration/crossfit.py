"""What a choice would have forecast at each origin without having seen it, and where the actuals stood in its laws."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from scipy.special import ndtr, ndtri

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.calibration.sums import added, law_of_sum, spread_of_sums
from veridex.core.laws.transforms import drawn_shares, transforms
from veridex.core.laws.warp import FURTHEST

__all__ = ["Crossfit"]

FEWEST_TO_HALVE = 4
"""Origins from which on evidence has two halves."""


@dataclass(frozen=True, eq=False, kw_only=True)
class Crossfit:
    """Forecasts of a choice at the origins of a trial, each made with weights that have not seen its origin.

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
    supports : ndarray, shape (O, 2)
        As in a trial.
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
    supports: FloatArray
    shifts: tuple[int, ...] = ()

    @cached_property
    def errors(self) -> FloatArray:
        """Actual less forecast, shape (O, H)."""
        return self.actuals - self.points

    @cached_property
    def scores(self) -> FloatArray:
        """The transforms as normal scores, shape (O, H)."""
        least = ndtr(-FURTHEST)
        return np.asarray(ndtri(np.clip(self.transforms, least, 1.0 - least)))

    @cached_property
    def halves(self) -> tuple[BoolArray, BoolArray] | None:
        """Cells (O, H) that were complete at the middle origin, and those of the origins from there on.

        None where there are fewer than four origins, or nothing is known in one of them.
        """
        known = ~np.isnan(self.transforms)
        if self.origins.size < FEWEST_TO_HALVE:
            return None
        middle = self.origins[self.origins.size // 2]
        ends = self.origins[:, None] + np.arange(1, known.shape[1] + 1)
        first: BoolArray = known & (ends <= middle)
        later: BoolArray = known & (self.origins >= middle)[:, None]
        return (first, later) if first.any() and later.any() else None

    def shifted(self, periods: tuple[int, ...]) -> "Crossfit":
        """The same, what was forecast across the begin of a new level set aside."""
        ends = self.origins[:, None] + np.arange(1, self.actuals.shape[1] + 1)
        across = np.zeros(ends.shape, dtype=bool)
        for period in periods:
            across |= (self.origins[:, None] < period) & (ends >= period)
        if not across.any() or across[~np.isnan(self.transforms)].all():
            return self
        crossed = tuple(one for one in periods if one > self.origins[0])
        return replace(self, transforms=np.where(across, np.nan, self.transforms), shifts=crossed)

    def totals(self, dependence: FloatArray, first: int = 1) -> "Crossfit":
        """The same of demand from a lead time on up to each later one; NaN before it."""
        known = np.where(np.isnan(self.transforms), np.nan, self.actuals)
        actuals, points = (added(one, first) for one in (known, self.points))
        spread = spread_of_sums(self.spread, dependence, first)
        laws = law_of_sum(points, spread, self.supports[:, None, 0], self.supports[:, None, 1] > 0.0)
        shares = drawn_shares(f"{self.item} in total", self.origins, actuals.shape[1])
        stood = transforms(laws, actuals, shares)
        return replace(self, actuals=actuals, points=points, spread=spread, transforms=stood)
