"""What the scores of items that are alike show: how far they lie off the middle, and how far their tails reach."""

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.calibration.hindcast import Hindcast, Told, agreed
from veridex.core.laws.warp import KNOTS

__all__ = ["NOTHING", "Peers", "Shown", "growing"]

NEIGHBOURS = 2
"""Lead times on either side that a lead time is pooled with."""

PRIOR_ORIGINS = 100.0
"""The law as it is counts as so many origins of other items."""

PRIOR_BEYOND = 10.0
"""The straight line through a side's inner tenth counts as so many origins beyond a knot."""

LEAST_SLOPE = 0.2
"""A quantile grows with its level at least by this part of what it does under the law itself."""

LEAST_STEPS = LEAST_SLOPE * np.diff(KNOTS)

SHARES = np.asarray(ndtr(KNOTS), dtype=np.float64)

MIDDLE = KNOTS.size // 2
INNER = MIDDLE + 2
"""Where the knots of 50 and of 90 % stand."""


def growing(scores: FloatArray) -> FloatArray:
    """Knots (..., KNOTS) that keep a least distance from each other, from the middle outwards."""
    ends = np.zeros(scores.shape)
    np.cumsum(np.maximum(np.diff(scores), LEAST_STEPS), axis=-1, out=ends[..., 1:])
    return np.asarray(scores[..., MIDDLE, None] + ends - ends[..., MIDDLE, None])


@dataclass(frozen=True, eq=False)
class Peers:
    """What other items show, in normal scores.

    Attributes
    ----------
    location : float
        How far actuals lay off the middle of their laws in both halves of the evidence.
    scale : float
        The median over items of the logarithm of the root mean square of scores.
    shape : ndarray, shape (H, KNOTS)
        Scores that held the probabilities of the knots, about their median; empty where there is no company.
    """

    location: float = 0.0
    scale: float = 0.0
    shape: FloatArray | None = None

    @cached_property
    def grown(self) -> FloatArray:
        """The shape with its least growth, shape (H, KNOTS); of no company the knots, for any lead time."""
        return KNOTS[None] if self.shape is None else growing(self.shape)


NOTHING = Peers()


class Sample(NamedTuple):
    """Scores of some lead times in order of their values: where they stand among all.

    Attributes
    ----------
    scores : ndarray, shape (rows, H)
        All scores, a row per item and origin.
    ends : ndarray of int, shape (rows, H)
        The moments from which on they were known.
    origins, owners : ndarray of int, shape (rows,)
        The origin of each row, and whose it is.
    order : ndarray of int, shape (n,)
        Places in the flattened scores. Nothing else is kept of each: there are millions.
    """

    scores: FloatArray
    ends: IntArray
    origins: IntArray
    owners: IntArray
    order: NDArray[np.int32]

    @classmethod
    def of(cls, scores: FloatArray, ends: IntArray, origins: IntArray, owners: IntArray, steps: range) -> "Sample":
        """Sort the scores of some lead times; NaN is none."""
        rows, horizon = scores.shape
        places = (horizon * np.arange(rows)[:, None] + np.array(steps)).ravel()
        places = places[~np.isnan(scores.ravel()[places])]
        order = places[np.argsort(scores.ravel()[places], kind="stable")]
        return cls(scores, ends, origins, owners, order.astype(np.int32))

    def then(self, moment: int, since: FloatArray) -> FloatArray:
        """Those that were known at a moment, from an origin of each owner on; ascending."""
        rows = self.order // self.scores.shape[1]
        known = self.ends.ravel()[self.order] <= moment
        found: FloatArray = self.scores.ravel()[self.order[known & (self.origins >= since[self.owners])[rows]]]
        return found


@dataclass(frozen=True, eq=False)
class Shown:
    """The later scores of a group of items per lead time, and what each item shows by itself.

    Early origins were decided from little, by laws of which many were mixed: their scores are not those of later ones.

    Attributes
    ----------
    fits : tuple of Hindcast
    """

    fits: tuple[Hindcast, ...]

    @cached_property
    def _rows(self) -> FloatArray:
        """All scores, a row per item and origin."""
        return np.concatenate([fit.scores for fit in self.fits])

    @cached_property
    def _origins(self) -> IntArray:
        return np.concatenate([fit.origins for fit in self.fits])

    @cached_property
    def _sizes(self) -> IntArray:
        """Rows of each item."""
        return np.array([fit.origins.size for fit in self.fits], dtype=np.int64)

    @cached_property
    def _scores(self) -> list[Sample]:
        """Per lead time, its neighbours with it."""
        scores, sizes = self._rows, self._sizes
        ends = np.concatenate([fit.ends for fit in self.fits])
        owners = np.repeat(np.arange(sizes.size), sizes)
        horizon = scores.shape[1]
        near = [range(max(h - NEIGHBOURS, 0), min(h + NEIGHBOURS + 1, horizon)) for h in range(horizon)]
        return [Sample.of(scores, ends, self._origins, owners, steps) for steps in near]

    @cached_property
    def _peers(self) -> dict[int, Peers]:
        return {}

    def at(self, moment: int) -> Peers:
        """What was known at a moment."""
        if moment not in self._peers:
            self._peers[moment] = self._gathered(moment)
        return self._peers[moment]

    def _gathered(self, moment: int) -> Peers:
        ends = np.cumsum(self._sizes)
        begins = ends - self._sizes
        told = Told.of(self._rows, self._origins, begins, ends, np.full(begins.size, moment))
        since = np.where(np.isnan(told.middle), self._origins[begins], told.middle)
        samples = [sample.then(moment, since) for sample in self._scores]
        if not any(sample.size for sample in samples):
            return NOTHING
        halved = ~np.isnan(told.first)
        middles = [np.median(half[halved]) for half in (told.first, told.later)] if halved.any() else [0.0, 0.0]
        scale = float(np.median(told.log_scale[told.cells > 0.0]))
        return Peers(float(agreed(*middles)), scale, np.array([_shape(sample) for sample in samples]))


def _quantiles(values: FloatArray, shares: FloatArray) -> FloatArray:
    """Empirical quantiles (Hazen, 1914, plotting positions) of ascending values."""
    at = np.clip(shares * values.size - 0.5, 0.0, values.size - 1.0)
    low = np.floor(at).astype(np.int64)
    high = np.minimum(low + 1, values.size - 1)
    return np.asarray(values[low] + (at - low) * (values[high] - values[low]))


def _shape(values: FloatArray) -> FloatArray:
    """Scores about their median that held the knots' probabilities, from ascending scores.

    Empirical quantiles, drawn outside of the inner 80 % to a straight line as far as few scores lie beyond, and as a
    whole to the law itself.
    """
    if values.size < 2:
        return KNOTS
    count = values.size / (2 * NEIGHBOURS + 1)
    found = _quantiles(values, SHARES)
    found = found - found[MIDDLE]
    slope = np.where(KNOTS > 0.0, found[INNER] / KNOTS[INNER], found[2 * MIDDLE - INNER] / KNOTS[2 * MIDDLE - INNER])
    beyond = count * np.minimum(SHARES, 1.0 - SHARES)
    trust = beyond / (beyond + PRIOR_BEYOND)
    found = trust * found + (1.0 - trust) * slope * KNOTS
    share = count / (count + PRIOR_ORIGINS)
    return np.asarray(share * found + (1.0 - share) * KNOTS)
