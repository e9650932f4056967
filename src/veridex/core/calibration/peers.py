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
class Shown:
    """The later scores of a group of items, sorted per lead time, and what each item shows by itself.

    Attributes
    ----------
    items : dict of str to int
        The place of each.
    values, owners : list of ndarray
        Per lead time with its neighbours: scores in order, and the place of the item that each is of.
    middles : ndarray, shape (items, 2)
        Mean scores of the two halves of each item's evidence; NaN where it has no halves.
    scales : ndarray, shape (items,)
    """

    items: dict[str, int]
    values: list[FloatArray]
    owners: list[IntArray]
    middles: FloatArray
    scales: FloatArray

    @classmethod
    def of(cls, fits: Sequence[Crossfit]) -> "Shown":
        """Gather what items show; of one with two halves the later scores, which the first ones had not seen."""
        stacks, middles = [], np.full((len(fits), 2), np.nan)
        for i, fit in enumerate(fits):
            scores = fit.scores
            if fit.halves is not None:
                middles[i] = [scores[half].mean() for half in fit.halves]
                scores = np.where(fit.halves[1], scores, np.nan)
            stacks.append(scores)
        horizon = stacks[0].shape[1]
        values, owners = [], []
        for h in range(horizon):
            parts = [one[:, max(h - NEIGHBOURS, 0) : h + NEIGHBOURS + 1].ravel() for one in stacks]
            known = [part[~np.isnan(part)] for part in parts]
            whole = np.concatenate(known)
            order = np.argsort(whole, kind="stable")
            values.append(whole[order])
            owners.append(np.repeat(np.arange(len(fits)), [one.size for one in known])[order])
        sizes = [(np.nansum(np.square(fit.scores)), int((~np.isnan(fit.scores)).sum())) for fit in fits]
        scales = np.array([log_scale(*size) if size[1] else np.nan for size in sizes])
        return cls({fit.item: i for i, fit in enumerate(fits)}, values, owners, middles, scales)

    @np.errstate(all="ignore")
    def without(self, item: str) -> Peers:
        """What all but one of them show."""
        place = self.items.get(item, -1)
        others = np.arange(len(self.items)) != place
        middles = self.middles[others]
        halves = ~np.isnan(middles).any(axis=1)
        location = float(agreed(*np.median(middles[halves], axis=0))) if halves.any() else 0.0
        shape = np.array(
            [_shape(values[owners != place]) for values, owners in zip(self.values, self.owners, strict=True)]
        )
        scales = self.scales[others & ~np.isnan(self.scales)]
        return Peers(location, float(np.median(scales)) if scales.size else 0.0, shape)


def log_scale(squares: Any, known: Any) -> Any:
    """The logarithm of the root mean square of scores, from the sum of squares and their number."""
    return 0.5 * np.log(np.maximum(squares / np.maximum(known, 1), LEAST_SQUARE))


def _shape(ordered: FloatArray) -> FloatArray:
    """Scores about their median that held the knots' probabilities, from scores in order.

    Empirical quantiles (Hazen, 1914, plotting positions), drawn outside of the inner 80 % to a straight line as far as
    few scores lie beyond, and as a whole to the law itself.
    """
    count = ordered.size / (2 * NEIGHBOURS + 1)
    if ordered.size < 2:
        return KNOTS
    shares = ndtr(KNOTS)
    places = (np.arange(1, ordered.size + 1) - 0.5) / ordered.size
    found = np.interp(shares, places, ordered)
    found = found - found[MIDDLE]
    slope = np.where(KNOTS > 0.0, found[INNER] / KNOTS[INNER], found[2 * MIDDLE - INNER] / KNOTS[2 * MIDDLE - INNER])
    beyond = count * np.minimum(shares, 1.0 - shares)
    trust = beyond / (beyond + PRIOR_BEYOND)
    found = trust * found + (1.0 - trust) * slope * KNOTS
    share = count / (count + PRIOR_ORIGINS)
    return np.asarray(share * found + (1.0 - share) * KNOTS)
