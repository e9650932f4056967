"""Where each item's periods lie in the arrays of a history, one item behind the other."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.periods.cadence import Cadence
from veridex.core.tables.grouping import Groups, LineEvidence

__all__ = ["Scan", "Spread"]


class Scan:
    """The first and last period of each item, and whether the rows are order lines, heard table by table.

    Parameters
    ----------
    cadence : Cadence
    last : int or None
        A last period that may have to be left out.
    """

    def __init__(self, cadence: Cadence, last: int | None) -> None:
        self._cadence, self._last = cadence, last
        self.lines = LineEvidence()
        self._items: list[Sequence[str]] = []
        self._firsts: list[IntArray] = []
        self._ends: list[IntArray] = []
        self._cut_ends: list[IntArray] = []

    def hear(self, items: Sequence[str], groups: Groups, stamps: NDArray[Any]) -> None:
        """Take in the groups of some items, each of which has some."""
        self.lines.hear(groups, stamps, self._cadence)
        heads = np.flatnonzero(np.diff(groups.codes, prepend=-1))
        self._items.append(items)
        self._firsts.append(groups.ordinals[heads])
        self._ends.append(np.maximum.reduceat(groups.ordinals, heads))
        if self._last is not None:
            kept = np.where(groups.ordinals < self._last, groups.ordinals, np.iinfo(np.int64).min)
            self._cut_ends.append(np.maximum.reduceat(kept, heads))

    @property
    def can_be_cut(self) -> bool:
        """Whether something is left without the last period."""
        return any((ends > np.iinfo(np.int64).min).any() for ends in self._cut_ends)

    def spread(self, *, cut: bool, to_the_end: bool) -> "Spread":
        """Lay the items out, with or without the last period; each ends with its own last, or all with that of all."""
        names = [name for items in self._items for name in items]
        firsts = np.concatenate(self._firsts)
        ends = np.concatenate(self._cut_ends if cut else self._ends)
        # A table has its items in order; those of several are put in order of their names.
        order = sorted(range(len(names)), key=names.__getitem__) if len(self._items) > 1 else list(range(len(names)))
        present = np.array([at for at in order if ends[at] >= firsts[at]], dtype=np.int64)
        starts = firsts[present]
        # Order lines of all items end on the same day: an item without lines since then sold nothing.
        end = int(ends[present].max()) if to_the_end else None
        stops = ends[present] if end is None else np.full(present.size, end)
        offsets = np.concatenate(([0], np.cumsum(stops - starts + 1)))
        begins = np.full(len(names), -1)
        begins[present] = offsets[:-1]
        sizes = [len(items) for items in self._items]
        return Spread(
            items=tuple(names[at] for at in present.tolist()),
            offsets=offsets,
            starts=starts,
            gone=len(names) - present.size,
            begins=tuple(np.split(begins, np.cumsum(sizes)[:-1])),
            end=end,
            before=self._last if cut else None,
        )


@dataclass(frozen=True, slots=True, eq=False)
class Spread:
    """The items of a history and where each lies.

    Attributes
    ----------
    items : tuple of str
    offsets : ndarray of int, shape (items + 1,)
    starts : ndarray of int, shape (items,)
        Ordinal of each item's first period.
    gone : int
        Items of which nothing is left.
    begins : tuple of ndarray of int
        Of each table where its items begin; -1 for those of which nothing is left.
    end : int or None
        The last period of all, where all end with it.
    before : int or None
        Periods from this one on are left out.
    """

    items: tuple[str, ...]
    offsets: IntArray
    starts: IntArray
    gone: int
    begins: tuple[IntArray, ...]
    end: int | None
    before: int | None

    @property
    def size(self) -> int:
        """Periods in all."""
        return int(self.offsets[-1])

    def of(self, number: int, groups: Groups) -> "Own":
        """Where the groups of a table lie."""
        kept = np.ones(groups.codes.size, dtype=bool) if self.before is None else groups.ordinals < self.before
        codes, ordinals = groups.codes[kept], groups.ordinals[kept]
        present, where = np.unique(codes, return_index=True)
        starts = ordinals[where]
        own_ends = ordinals[np.append(where[1:], codes.size) - 1] if codes.size else ordinals
        stops = own_ends if self.end is None else np.full(present.size, self.end)
        offsets = np.concatenate(([0], np.cumsum(stops - starts + 1)))
        rows = np.repeat(np.arange(present.size), np.diff(np.append(where, codes.size)))
        places = offsets[rows] + ordinals - starts[rows]
        return Own(present, offsets, kept, places, self.begins[number][present])


@dataclass(frozen=True, slots=True, eq=False)
class Own:
    """The periods of a table's items, one item behind the other, and where each item lies among all."""

    present: IntArray
    offsets: IntArray
    kept: BoolArray
    places: IntArray
    begins: IntArray

    @property
    def owners(self) -> IntArray:
        """The item of each period."""
        return np.repeat(self.present, np.diff(self.offsets))

    def spread(self, values: FloatArray, empty: float) -> FloatArray:
        """One array of all periods from one value per group."""
        whole = np.full(int(self.offsets[-1]), empty)
        whole[self.places] = values[self.kept]
        return whole

    def put(self, values: FloatArray, into: FloatArray) -> None:
        """Put periods where their items lie among all."""
        if self.begins.size and np.array_equal(self.begins - self.begins[0], self.offsets[:-1]):
            into[..., self.begins[0] : self.begins[0] + values.shape[-1]] = values
            return
        for own, (begin, end) in zip(self.begins.tolist(), pairwise(self.offsets.tolist()), strict=True):
            into[..., own : own + end - begin] = values[..., begin:end]
