"""What a choice would have forecast at each origin without having seen it, and what its intervals held."""

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from scipy.special import ndtri

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.calibration.conformal import conformal_quantiles, growing, left_out_quantiles
from veridex.core.calibration.intervals import joined_interval, kinds_of
from veridex.core.scoring.measures import interval_terms

__all__ = ["DEFAULT_FROM", "KINDS", "PRIOR_ORIGINS", "Crossfit", "Held", "drawn", "model_factor"]


KINDS = ("model", "conformal", "average")

DEFAULT_FROM = 12
"""Origins from which on intervals are averages; with fewer they are the model's."""

PRIOR_ORIGINS = 24.0
"""The portfolio's other items count as so many origins."""


class Held(NamedTuple):
    """What intervals of a level held when they were tested: cells, coverage in percent, mean width and score."""

    level: float
    cells: int
    coverage: float
    width: float
    interval_score: float


@dataclass(frozen=True, eq=False)
class Crossfit:
    """Forecasts of a choice at the origins of a trial, each made with weights that have not seen its origin.

    Attributes
    ----------
    origins : ndarray of int, shape (O,)
        Ordinals.
    actuals, points, std_error : ndarray, shape (O, H)
    lower, upper : ndarray, shape (O, L, H)
        Bounds of the model.
    levels : tuple of float
    """

    origins: IntArray
    actuals: FloatArray
    points: FloatArray
    std_error: FloatArray
    lower: FloatArray
    upper: FloatArray
    levels: tuple[float, ...]

    @property
    def default_kind(self) -> str:
        """The intervals that are published unless another kind is asked for."""
        return "average" if self.origins.size >= DEFAULT_FROM else "model"

    @cached_property
    def errors(self) -> FloatArray:
        """Actual less forecast, shape (O, H)."""
        return self.actuals - self.points

    @cached_property
    def scale(self) -> FloatArray:
        """The standard errors that errors are divided by: they never shrink with the lead time."""
        grown = growing(self.std_error)
        return np.where(grown > 0.0, grown, np.nan)

    @property
    def scores(self) -> FloatArray:
        """Sizes of errors in standard errors, shape (O, H)."""
        return np.asarray(np.abs(self.errors) / self.scale)

    @property
    def total_scores(self) -> FloatArray:
        """Sizes of errors added up from the first lead time on, against standard errors added up."""
        return np.asarray(np.abs(np.cumsum(self.errors, axis=1)) / np.cumsum(self.scale, axis=1))

    @cached_property
    def _tested(self) -> FloatArray:
        return left_out_quantiles(self.scores, self.levels)

    def _left_out(self, levels: tuple[float, ...], totals: bool) -> FloatArray:
        """Quantiles from the scores of all other origins, shape (O, levels, H)."""
        if levels == self.levels and not totals:
            return self._tested
        return left_out_quantiles(self.total_scores if totals else self.scores, levels)

    def quantiles(self, levels: tuple[float, ...], pooled: FloatArray | None = None) -> FloatArray:
        """Conformal quantiles of `scores`, all origins used, drawn towards those of other items; (levels, H)."""
        return drawn(conformal_quantiles(self.scores, levels), pooled, self.origins.size)

    def total_quantiles(self, levels: tuple[float, ...], pooled: FloatArray | None = None) -> FloatArray:
        """The same of `total_scores`."""
        return drawn(conformal_quantiles(self.total_scores, levels), pooled, self.origins.size)

    def kinds(self, kind: str, levels: tuple[float, ...], totals: bool = False) -> tuple[str, ...]:
        """The kind of each level, alike where it is tested and where it is published.

        Past errors tell a level if those at the other origins do for every origin and tested lead time.
        """
        if kind == "model":
            return ("model",) * len(levels)
        known = ~np.isnan(self.errors)
        left = np.isfinite(self._left_out(levels, totals))
        return kinds_of(kind, np.asarray((left | ~known[:, None]).all(axis=(0, 2)) & bool(known.any())))

    def bounds(self, kind: str, pooled: FloatArray | None = None) -> tuple[FloatArray, FloatArray]:
        """Bounds (O, L, H) of a kind as they are published; conformal quantiles leave the origin itself out.

        `pooled` are the other items' quantiles at these levels, shape (L, H).
        """
        own = drawn(self._tested, pooled, self.origins.size - 1)
        factor, kinds = model_factor(self.levels, pooled, self.points.shape[1]), self.kinds(kind, self.levels)
        found = joined_interval(self.points, (self.lower, self.upper), own * self.scale[:, None], factor, kinds)
        if kind != "conformal":
            return found
        lost = np.isnan(own)  # no model's bounds stand in where quantiles alone were asked for
        lower, upper = (np.where(lost, np.nan, side) for side in found)
        return lower, upper

    @np.errstate(all="ignore")  # demand near the limits of floating point overflows in its squares
    def held(self, kind: str, pooled: FloatArray | None = None) -> tuple[Held, ...]:
        """What a kind of interval held, per level."""
        lower, upper = self.bounds(kind, pooled)
        found = []
        for j, level in enumerate(self.levels):
            known = ~np.isnan(self.actuals) & ~np.isnan(lower[:, j])
            terms = interval_terms(self.actuals[known], lower[:, j][known], upper[:, j][known], level)
            coverage, width, score, _ = (
                float(mean) for mean in (terms.mean(axis=1) if known.any() else np.full(4, np.nan))
            )
            found.append(Held(level, int(known.sum()), coverage, width, score))
        return tuple(found)


def drawn(own: FloatArray, pooled: FloatArray | None, origins: int) -> FloatArray:
    """Quantiles (..., L, H) of an item drawn towards those of other items (L, H).

    By N / (N + 24), N origins, as the errors that weigh the members of a blend; NaN stays where the item has too few.
    """
    if pooled is None:
        return own
    share = origins / (origins + PRIOR_ORIGINS)
    return np.asarray(np.where(np.isnan(pooled), own, share * own + (1.0 - share) * pooled))


@np.errstate(all="ignore")
def model_factor(levels: tuple[float, ...], pooled: FloatArray | None, steps: int) -> FloatArray:
    """What model bounds are multiplied by so that they would have held their level on other items, (levels, steps)."""
    if pooled is None:
        return np.ones((len(levels), steps))
    factor = pooled[:, :steps] / ndtri(0.5 + np.array(levels) / 200.0)[:, None]
    return np.asarray(np.where(np.isfinite(factor) & (factor > 0.0), factor, 1.0))
