"""What lets a backtest go on when a period has come: a fingerprint of each fold, and what methods remember.

A fold depends on what was known at its origin, on what came in its lead times, and, through what a method remembers
from fold to fold, on the folds before it. Where all these are as they were, its results are too, to the bit.
"""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.backtest.schemes import Fold
from veridex.core.history.item import ItemHistory

__all__ = ["LENGTH", "Trail", "chained", "seen_by"]

LENGTH = 16
"""Bytes of a fingerprint."""


@dataclass(frozen=True, slots=True, eq=False)
class Trail:
    """The folds of an item behind each other, by method.

    Attributes
    ----------
    links : tuple of tuple of bytes
        For each method a fingerprint of each fold and all before it.
    memories : tuple of ndarray
        For each method what it remembers after the last one.
    """

    links: tuple[tuple[bytes, ...], ...]
    memories: tuple[FloatArray, ...]

    def of_methods(self, places: Sequence[int]) -> "Trail":
        """The same of some of the methods."""
        return Trail(tuple(self.links[m] for m in places), tuple(self.memories[m] for m in places))


def seen_by(series: ItemHistory, fold: Fold) -> bytes:
    """A fingerprint of what a fold sees of an item's demand: up to its origin and over its lead times."""
    rules = None if series.rules is None else series.rules.how
    how = (series.item, series.cadence.name, series.stated or series.season_length, series.start, rules)
    digest = hashlib.sha256(repr((*how, series.measure.floor, series.measure.whole, fold)).encode())
    reach = fold.stop + fold.horizon
    for array in (series.actuals, *(() if series.censored is None else series.censored)):
        shown = array[:reach]
        digest.update(np.where(np.isnan(shown), np.nan, shown).tobytes())
    return digest.digest()


def chained(head: bytes, seen: Sequence[Sequence[bytes]]) -> tuple[bytes, ...]:
    """A fingerprint of each fold and all before it, from what each of them sees."""
    found, link = [], hashlib.sha256(head).digest()
    for parts in seen:
        digest = hashlib.sha256(link)
        for part in parts:
            digest.update(part)
        link = digest.digest()
        found.append(link[:LENGTH])
    return tuple(found)
