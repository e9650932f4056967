"""When a portfolio got worse, and which items did it.

Absolute errors are held against those that the published laws expected, so that far lead times and large items do not
look worse than near and small ones. The split of the periods that tells two means apart the most is looked for, and how
often chance would tell so much: by shuffling the periods (a permutation test of the largest statistic, as in Antoch and
Hušková, 2001, Statistics and Probability Letters 53, 37-46). Errors that share periods go together, which makes that
chance a little too small.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray

__all__ = ["CULPRITS", "Worse", "when_worse"]

CULPRITS = ["item", "before", "after", "excess", "share"]

FEWEST = 3
"""Periods on each side at least."""

SHUFFLES = 1999


@dataclass(frozen=True, eq=False)
class Worse:
    """The split that tells two means apart the most.

    Attributes
    ----------
    since : stamp, int or None
        The first period after it; None where nothing can be told.
    before, after : float
        Absolute errors in times those that were expected.
    chance : float
        Percent of shuffled orders that show as much; NaN where nothing can be told.
    items : DataFrame
        By item the same two, by how much its errors exceed those at the rate of before, and the share of all excess.
    """

    since: Any
    before: float
    after: float
    chance: float
    items: pd.DataFrame


def when_worse(frame: pd.DataFrame) -> Worse:
    """Look for the period since which errors are larger; see `TrackRecord.worse`."""
    known = frame[frame["_expected"] > 0.0]
    sums = known.assign(size=known["error"].abs()).groupby("period")[["size", "_expected"]].sum()
    ratios = (sums["size"] / sums["_expected"]).to_numpy()
    if ratios.size < 2 * FEWEST:
        return Worse(None, np.nan, np.nan, np.nan, pd.DataFrame(columns=CULPRITS))
    found = _splits(ratios[None, :])[0]
    first = sums.index[int(np.argmax(found)) + FEWEST]
    rng = np.random.default_rng(17)
    shuffled = _splits(rng.permuted(np.tile(ratios, (SHUFFLES, 1)), axis=1)).max(axis=1)
    chance = 100.0 * (1.0 + float((shuffled >= found.max()).sum())) / (1.0 + SHUFFLES)
    early = known["period"] < first
    halves = [known[early], known[~early]]
    before, after = (float(one["error"].abs().sum() / one["_expected"].sum()) for one in halves)
    return Worse(first, before, after, chance, _culprits(halves[0], halves[1], before))


def _splits(ratios: FloatArray) -> FloatArray:
    """By how many standard errors the mean after each split lies above the one before; shape (rows, splits)."""
    n = ratios.shape[1]
    counts = np.arange(FEWEST, n - FEWEST + 1)
    sums = np.cumsum(ratios, axis=1)
    early = sums[:, counts - 1] / counts
    late = (sums[:, -1:] - sums[:, counts - 1]) / (n - counts)
    spread = ratios.std(axis=1, ddof=1, keepdims=True)
    return np.asarray((late - early) / (np.maximum(spread, 1e-12) * np.sqrt(1.0 / counts + 1.0 / (n - counts))))


def _culprits(early: pd.DataFrame, late: pd.DataFrame, before: float) -> pd.DataFrame:
    """Items by how much they are off beyond what they would be at the rate of before."""
    parts = {}
    for name, half in (("before", early), ("after", late)):
        sums = half.assign(size=half["error"].abs()).groupby("item")[["size", "_expected"]].sum()
        parts[name] = sums["size"] / sums["_expected"]
        if name == "after":
            parts["excess"] = sums["size"] - before * sums["_expected"]
    found = pd.DataFrame(parts).dropna(subset=["excess"])
    whole = float(found["excess"].sum())
    found["share"] = 100.0 * found["excess"] / whole if whole > 0.0 else np.nan
    found = found.sort_values("excess", ascending=False, kind="stable").reset_index(names="item")
    return found[CULPRITS]
