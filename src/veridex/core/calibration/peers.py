"""What the scores of items that are alike show: how far they lie off the middle, and how far their tails reach."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.special import ndtr

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.calibration.crossfit import Crossfit
from veridex.core.laws.warp import KNOTS

__all__ = ["LEAST_SLOPE", "NOTHING", "Peers", "Shown", "agreed", "log_scale"]

NEIGHBOURS = 2
"""Lead times on either side that a lead time is pooled with."""

PRIOR_ORIGINS = 100.0
"""The law as it is counts as so many origins of other items."""

PRIOR_BEYOND = 10.0
"""The straight line through a side's inner tenth counts as so many origins beyond a knot."""

LEAST_SLOPE = 0.2
"""A quantile grows with its level at least by this part of what it does under the law itself."""

LEAST_SQUARE = 0.01
"""Scores of less mean square than this are as good as none."""

SHARES = np.asarray(ndtr(KNOTS), dtype=np.float64)

MIDDLE = KNOTS.size // 2
INNER = MIDDLE + 2
"""Where the knots of 50 and of 90 % stand."""


def agreed(first: Any, later: Any) -> Any:
    """What two halves of the evidence both show: the smaller one where both lie on one side, else nothing."""
    same = np.sign(first) == np.sign(later)
    return np.where(same, np.sign(first) * np.minimum(np.abs(first), np.abs(later)), 0.0)


@dataclass(frozen=True, slots=True, eq=False)
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


NOTHING = Peers()


@dataclass(frozen=True, slots=True, eq=False)
class Sample:
    """Values of several items in order, from which quantiles are read without those of one of them.

    Attributes
    ----------
    values : ndarray, shape (n,)
        Ascending.
    own : list of ndarray
        Where the values of each item stand in it, ascending.
    """

    values: FloatArray
    own: list[IntArray]

    @classmethod
    def of(cls, parts: Sequence[FloatArray]) -> "Sample":
        """Gather the values of each item; NaN is none."""
        known = [part[~np.isnan(part)] for part in parts]
        sizes = [part.size for part in known]
        whole = np.concatenate(known)
        order = np.argsort(whole, kind="stable")
        by_owner = np.argsort(np.repeat(np.arange(len(known)), sizes)[order], kind="stable")
        return cls(whole[order], np.split(by_owner, np.cumsum(sizes)[:-1]))

    def size(self, place: int) -> int:
        """How many values there are without those of the item at a place; all of them where there is none."""
        return self.values.size - (self.own[place].size if place >= 0 else 0)

    def quantiles(self, shares: FloatArray, place: int) -> FloatArray:
        """Empirical quantiles (Hazen, 1914, plotting positions) without an item; NaN where nothing is left."""
        left = self.size(place)
        if left == 0:
            return np.full(shares.shape, np.nan)
        at = np.clip(shares * left - 0.5, 0.0, left - 1.0)
        low = np.floor(at).astype(np.int64)
        high = np.minimum(low + 1, left - 1)
        gone = self.own[place] - np.arange(self.own[place].size) if place >= 0 else np.empty(0, dtype=np.int64)
        below, above = (self.values[k + np.searchsorted(gone, k, side="right")] for k in (low, high))
        return np.asarray(below + (at - low) * (above - below))


@dataclass(frozen=True, slots=True, eq=False)
class Shown:
    """The later scores of a group of items per lead time, and what each item shows by itself.

    Attributes
    ----------
    items : dict of str to int
        The place of each.
    scores : list of Sample
        Per lead time, its neighbours with it.
    middles : tuple of Sample
        Mean scores of the two halves of each item's evidence; none of an item that has no halves.
    scales : Sample
        Logarithms of root mean squares.
    """

    items: dict[str, int]
    scores: list[Sample]
    middles: tuple[Sample, Sample]
    scales: Sample

    @classmethod
    def of(cls, fits: Sequence[Crossfit]) -> "Shown":
        """Gather what items show; of one with two halves the later scores, which the first ones had not seen."""
        stacks, middles = [], np.full((2, len(fits)), np.nan)
        for i, fit in enumerate(fits):
            scores = fit.scores
            if fit.halves is not None:
                middles[:, i] = [scores[half].mean() for half in fit.halves]
                scores = np.where(fit.halves[1], scores, np.nan)
            stacks.append(scores)
        near = [slice(max(h - NEIGHBOURS, 0), h + NEIGHBOURS + 1) for h in range(stacks[0].shape[1])]
        sizes = [(np.nansum(np.square(fit.scores)), int((~np.isnan(fit.scores)).sum())) for fit in fits]
        scales = [log_scale(*size) if size[1] else np.nan for size in sizes]
        return cls(
            {fit.item: i for i, fit in enumerate(fits)},
            [Sample.of([one[:, span].ravel() for one in stacks]) for span in near],
            (Sample.of(list(middles[0][:, None])), Sample.of(list(middles[1][:, None]))),
            Sample.of([np.array([one]) for one in scales]),
        )

    def without(self, item: str) -> Peers:
        """What all but one of them show."""
        place, half = self.items.get(item, -1), np.array([0.5])
        if not any(one.size(place) for one in self.scores):
            return NOTHING
        first, later, scale = (one.quantiles(half, place)[0] for one in (*self.middles, self.scales))
        location = float(agreed(first, later)) if np.isfinite(first) else 0.0
        shape = np.array([_shape(one, place) for one in self.scores])
        return Peers(location, float(scale) if np.isfinite(scale) else 0.0, shape)


def log_scale(squares: Any, known: Any) -> Any:
    """The logarithm of the root mean square of scores, from the sum of squares and their number."""
    return 0.5 * np.log(np.maximum(squares / np.maximum(known, 1), LEAST_SQUARE))


def _shape(sample: Sample, place: int) -> FloatArray:
    """Scores about their median that held the knots' probabilities, from those of all items but one.

    Empirical quantiles, drawn outside of the inner 80 % to a straight line as far as few scores lie beyond, and as a
    whole to the law itself.
    """
    count = sample.size(place) / (2 * NEIGHBOURS + 1)
    if sample.size(place) < 2:
        return KNOTS
    found = sample.quantiles(SHARES, place)
    found = found - found[MIDDLE]
    slope = np.where(KNOTS > 0.0, found[INNER] / KNOTS[INNER], found[2 * MIDDLE - INNER] / KNOTS[2 * MIDDLE - INNER])
    beyond = count * np.minimum(SHARES, 1.0 - SHARES)
    trust = beyond / (beyond + PRIOR_BEYOND)
    found = trust * found + (1.0 - trust) * slope * KNOTS
    share = count / (count + PRIOR_ORIGINS)
    return np.asarray(share * found + (1.0 - share) * KNOTS)
