"""What neighbours lend of their seasons: profiles added up, each by how it goes with the borrower's own."""

import math

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.compiled import kernel

__all__ = ["lend"]

FEWEST_PHASES = 3
"""Profiles that share no more phases than these are not compared."""

ALIKE = 0.3
"""Profiles that correlate less than this are none of a group; those that do count by the fourth power."""


@kernel
def _weight(products: float, own: float, theirs: float, shared: float) -> float:
    """How much a neighbour counts, from sums over the phases that both have shown."""
    if shared <= FEWEST_PHASES or own <= 0.0 or theirs <= 0.0:
        return 0.0
    correlation = products / math.sqrt(own * theirs)
    return correlation**4 if correlation > ALIKE else 0.0


@kernel
def lend(
    off: FloatArray,
    counts: FloatArray,
    lent_off: FloatArray,
    lent_counts: FloatArray,
    places: IntArray,
    folds: IntArray,
    whole: FloatArray,
    blind: FloatArray,
) -> None:
    """Fill the seasons that items may borrow, off the level: of neighbours chosen by all phases, and by all others.

    Parameters
    ----------
    off, counts : ndarray, shape (items, season)
        How far each profile lies off the level, and from how many values; off the level by nought where there is none.
    lent_off, lent_counts : ndarray, shape (lenders, season)
    places : ndarray of int, shape (lenders,)
        Where each lender stands among the items: nobody lends to itself.
    folds : ndarray of int, shape (season,)
        Phases with one number are left out together.
    whole, blind : ndarray, shape (items, season)
        Filled; NaN where no neighbour has shown a phase.
    """
    season = folds.size
    parts = int(folds.max()) + 1
    sums, weights = np.zeros((2, season)), np.zeros((2, season))
    fold_sums, total, others = np.zeros((4, parts)), np.zeros(4), np.zeros(parts)
    for i in range(off.shape[0]):
        sums[:] = 0.0
        weights[:] = 0.0
        for j in range(lent_off.shape[0]):
            if places[j] == i:
                continue
            fold_sums[:] = 0.0
            for s in range(season):
                if counts[i, s] > 0.0 and lent_counts[j, s] > 0.0:
                    fold_sums[0, folds[s]] += off[i, s] * lent_off[j, s]
                    fold_sums[1, folds[s]] += off[i, s] * off[i, s]
                    fold_sums[2, folds[s]] += lent_off[j, s] * lent_off[j, s]
                    fold_sums[3, folds[s]] += 1.0
            for k in range(4):
                total[k] = 0.0
                for f in range(parts):
                    total[k] += fold_sums[k, f]
            every = _weight(total[0], total[1], total[2], total[3])
            for f in range(parts):
                others[f] = _weight(
                    total[0] - fold_sums[0, f],
                    total[1] - fold_sums[1, f],
                    total[2] - fold_sums[2, f],
                    total[3] - fold_sums[3, f],
                )
            for s in range(season):
                if lent_counts[j, s] > 0.0:
                    sums[0, s] += every * lent_counts[j, s] * lent_off[j, s]
                    weights[0, s] += every * lent_counts[j, s]
                    sums[1, s] += others[folds[s]] * lent_counts[j, s] * lent_off[j, s]
                    weights[1, s] += others[folds[s]] * lent_counts[j, s]
        for s in range(season):
            whole[i, s] = sums[0, s] / weights[0, s] if weights[0, s] > 0.0 else np.nan
            blind[i, s] = sums[1, s] / weights[1, s] if weights[1, s] > 0.0 else np.nan
