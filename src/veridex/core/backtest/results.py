"""`Results`: what a backtest left, item by item; the tables of `Trial` are made of it."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Self

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.backtest.folds import FoldArrays, ItemTrial, last_known
from veridex.core.backtest.pace import Pace
from veridex.core.backtest.schemes import Scheme
from veridex.core.backtest.store import MemoryStore, Store, stacked
from veridex.core.history.history import History
from veridex.core.methods.catalogue import Method, benchmarks, method
from veridex.core.methods.fold.status import Status
from veridex.core.reading.item_reading import ItemReading, Readings
from veridex.errors import ItemUnknown, ParameterError

__all__ = ["Block", "Results"]


@dataclass(frozen=True, slots=True, eq=False)
class Block:
    """Items that stand behind each other, with what they say of each other's cells.

    Attributes
    ----------
    first : int
        Place of the first item.
    arrays : FoldArrays
    common : ndarray of bool, shape (I, O, H)
        Cells with an actual that every method forecast; one without any forecast at all is left aside.
    """

    first: int
    arrays: FoldArrays
    common: BoolArray


@dataclass(frozen=True, eq=False, kw_only=True)
class Results:
    """A history and what was tested on it.

    Attributes
    ----------
    history : History
    lineup : tuple of Method
    scheme : RollingOrigin or Holdout
    levels : tuple of float
        Interval levels in percent.
    notes : tuple of str
        What was added or could not be done.
    perfect : bool
        Whether drivers were seen before their time; every table then has a column that says so.
    driven : bool
        Whether there were drivers or events.
    pace : Pace
        How often it searched and estimated anew.
    store : Store
        The item trials.
    added : tuple of Method
        Those of the lineup that the planner did not enter: benchmarks that every verdict is held against.
    cuts : tuple of Trial
        Long items that were shown no more than short ones have, a trial for each length.
    read : mapping of str to ItemReading, optional
        What each item is taken for, where that was read among others than these.
    """

    history: History
    lineup: tuple[Method, ...]
    scheme: Scheme
    levels: tuple[float, ...]
    notes: tuple[str, ...] = field(default=(), repr=False)
    perfect: bool = field(default=False, repr=False)
    driven: bool = field(default=False, repr=False)
    pace: Pace = field(default_factory=Pace, repr=False)
    store: Store = field(repr=False)
    added: tuple[Method, ...] = field(default=(), repr=False)
    cuts: tuple[Self, ...] = field(default=(), repr=False)
    read: Mapping[str, ItemReading] | None = field(default=None, repr=False)

    def __getitem__(self, item: str) -> ItemTrial:
        """The trial of one item.

        Raises
        ------
        ItemUnknown
            If there is no such item.
        """
        found = self.store.get(item)
        if found is None:
            raise ItemUnknown(item, self.history.names)
        return found

    def __iter__(self) -> Iterator[ItemTrial]:
        """The trials of all items, in the order of the history."""
        return (self.store.at(i) for i in range(len(self.store)))

    def held(self, item: str) -> tuple[ItemTrial, ...]:
        """The trial of an item, if there is one: what a backtest takes over by ``onto=``."""
        found = self.store.get(item)
        return () if found is None else (found,)

    @property
    def arrays(self) -> FoldArrays:
        """The results of all items, items first; of a trial in a directory that loads all of it, which is said."""
        return self.store.arrays

    @property
    def horizon(self) -> int:
        """The longest lead time."""
        return self.store.extent.horizon

    @property
    def keeping(self) -> str:
        """``"all"``, or ``"scores"`` where bounds are of single precision and standard errors were not kept."""
        return self.store.extent.keep

    @property
    def overlap(self) -> int:
        """At how many origins in a row the lead times share a period."""
        return -(-self.horizon // getattr(self.scheme, "stride", 1))

    @cached_property
    def benchmarks(self) -> tuple[Method, ...]:
        """The methods that must be beaten: the first that an item supports counts."""
        return benchmarks(self.history.season_length)

    def method_index(self, text: str | Method) -> int:
        """Where a method stands in the lineup, however it is spelled.

        Raises
        ------
        MethodUnknown, SettingError
            If it is none of the catalogue.
        ParameterError
            If it was not entered.
        """
        wanted = text if isinstance(text, Method) else method(text)
        found = self._places.get(wanted)
        if found is None:
            raise ParameterError("method", repr(wanted.text), f"the trial has {', '.join(map(str, self.lineup))}")
        return found

    @property
    def entered(self) -> tuple[Method, ...]:
        """The methods that the planner entered, in order."""
        return tuple(one for one in self.lineup if one not in self.added)

    @cached_property
    def _places(self) -> dict[Method, int]:
        """Where each method stands."""
        return {one: place for place, one in enumerate(self.lineup)}

    @cached_property
    def readings(self) -> Mapping[str, ItemReading]:
        """What each item is taken for."""
        return Readings(self.history) if self.read is None else self.read

    def only(self, item: str) -> Self:
        """The trial of one item by itself, taken for what it is among the others.

        Raises
        ------
        ItemUnknown
            If there is no such item.
        """
        one = self[item]
        return replace(
            self,
            history=History.of([self.history[item]]),
            store=MemoryStore.of((item,), stacked([one]), [one.keys]),
            read={item: self.readings[item]},
            notes=(),
            cuts=(),
        )

    def blocks(self) -> Iterator[Block]:
        """The items by blocks, each with the cells that all methods forecast."""
        for first, arrays in self.store.blocks():
            has = ~np.isnan(arrays.points)
            common: BoolArray = (has | self._idle).all(axis=1) & has.any(axis=1) & ~np.isnan(arrays.actuals)
            yield Block(first, arrays, common)

    @cached_property
    def _idle(self) -> BoolArray:
        """Methods without any forecast at all, shape (1, M, 1, 1)."""
        able = [(~np.isnan(arrays.points)).any(axis=(0, 2, 3)) for _, arrays in self.store.blocks()]
        idle: BoolArray = ~np.any(able, axis=0)[None, :, None, None]
        return idle

    @property
    def costly(self) -> dict[Method, tuple[int, int]]:
        """Methods that alone take cells from those that all share: how many, and of how many."""
        alone = np.zeros(len(self.lineup), dtype=np.int64)
        shared = 0
        for _, arrays in self.store.blocks():
            has = ~np.isnan(arrays.points)
            lacks = ~(has | self._idle) & (has.any(axis=1) & ~np.isnan(arrays.actuals))[:, None]
            alone += (lacks & (lacks.sum(axis=1, keepdims=True) == 1)).sum(axis=(0, 2, 3))
            shared += int(((~lacks).all(axis=1) & has.any(axis=1) & ~np.isnan(arrays.actuals)).sum())
        return {one: (int(n), shared + int(n)) for one, n in zip(self.lineup, alone, strict=True) if n}

    def tried(self, block: Block) -> BoolArray:
        """Cells (I, M, O, H) that were to be forecast: those of its folds, less the gap."""
        series = [self.history.at(block.first + k) for k in range(block.arrays.origins.shape[0])]
        horizons = np.zeros(block.arrays.origins.shape, dtype=np.int64)
        for k, one in enumerate(series):
            for o, fold in enumerate(self.scheme.folds(one)):
                horizons[k, o] = fold.horizon
        steps = np.arange(self.horizon)
        reached: BoolArray = (steps < horizons[..., None]) & (steps >= getattr(self.scheme, "gap", 0))
        found: BoolArray = (block.arrays.status != Status.NO_FOLD)[..., None] & reached[:, None]
        return found

    def last_known(self, block: Block) -> FloatArray:
        """The last known actual at each origin, shape (I, O); NaN where there is none."""
        a = block.arrays
        return np.array(
            [last_known(self.history.at(block.first + k), a.origins[k], a.status[k]) for k in range(a.origins.shape[0])]
        )
