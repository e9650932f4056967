"""Where item trials are kept: in memory here; other rooms keep them elsewhere."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar, NamedTuple, Protocol

import numpy as np

from veridex.core.backtest.folds import ARRAYS, PER_METHOD, FoldArrays, ItemTrial
from veridex.core.backtest.minutes import NO_MINUTES, Minutes

__all__ = ["Extent", "Keeper", "Kept", "MemoryStore", "Opener", "Store", "stacked"]


BLOCK = 64
"""Items of a block."""


class Extent(NamedTuple):
    """How much there is to an item: methods, origins, lead times, components of a law; what is kept of them."""

    methods: int
    origins: int
    horizon: int
    components: int
    keep: str = "all"

    def empty(self, *items: int) -> dict[str, Any]:
        """Arrays without results, by name, of an item or of so many."""
        sizes = (*items, self.methods, self.origins)
        return FoldArrays.empty(sizes, self.components, self.horizon, self.keep)


class Kept(Protocol):
    """What was tested before: a trial, or what a killed backtest left."""

    def held(self, item: str) -> tuple[ItemTrial, ...]:
        """The trials of an item, the newest first."""
        ...


class Keeper(Kept, Protocol):
    """Takes in what is finished too."""

    def keep(self, one: ItemTrial) -> None:
        """Keep the trial of an item."""
        ...


class Store(Protocol):
    """The item trials of a history, wherever they are.

    Attributes
    ----------
    names : tuple of str
        The items, in order.
    extent : Extent
    whole : bool
        Whether all of it is in memory: what is asked for twice need not be made twice.
    before : tuple of Kept
        What an earlier backtest left in the same place.
    """

    @property
    def names(self) -> tuple[str, ...]:
        """The items."""
        ...

    @property
    def extent(self) -> Extent:
        """How much there is to each."""
        ...

    @property
    def whole(self) -> bool:
        """Whether all of it is in memory."""
        ...

    @property
    def before(self) -> tuple[Kept, ...]:
        """What was left there."""
        ...

    def __len__(self) -> int: ...

    def at(self, place: int) -> ItemTrial:
        """The trial of the item at a place."""
        ...

    def get(self, item: str) -> ItemTrial | None:
        """The trial of an item, if there is one."""
        ...

    def holds(self, item: str, keys: tuple[str, ...]) -> bool:
        """Whether all of an item is there already, under these keys and with nothing lost."""
        ...

    def put(self, one: ItemTrial, methods: Sequence[int]) -> None:
        """Put in the results of some methods of an item, at these places of the lineup."""
        ...

    def minutes(self, said: str, others: "Sequence[Store]") -> Minutes:
        """Where what is said while a verdict is reached is kept, by all that it depends on: so much is said already.

        `others` are the stores of cut trials, which it depends on too.
        """
        ...

    def blocks(self) -> Iterator[tuple[int, FoldArrays]]:
        """Arrays of items that stand behind each other, with the place of the first: what is added up is by blocks.

        Sums of an item are within its block, so that results do not depend on how many there are to a block; memory
        does: what is made of a block takes several times its room.
        """
        ...

    def finish(self) -> None:
        """Nothing is put in any more."""
        ...

    @property
    def arrays(self) -> FoldArrays:
        """All of it as arrays in memory, items first."""
        ...


Opener = Callable[[int, tuple[str, ...], Extent], Store]
"""Makes the store of a trial, given its number (0, then that of each cut), the items and how much there is to each."""


@dataclass(frozen=True, slots=True, eq=False)
class MemoryStore:
    """Item trials as slices of dense arrays; see `Store`.

    Attributes
    ----------
    names : tuple of str
    extent : Extent
    arrays : FoldArrays
        Items first.
    keys : list of tuple of str
        Of each item, for each method.
    places : dict of str to int
    """

    names: tuple[str, ...]
    extent: Extent
    arrays: FoldArrays
    keys: list[tuple[str, ...]]
    places: dict[str, int]

    whole: ClassVar[bool] = True
    before: ClassVar[tuple[Kept, ...]] = ()

    @classmethod
    def of(cls, names: Sequence[str], arrays: FoldArrays, keys: Sequence[tuple[str, ...]]) -> "MemoryStore":
        """What was tested before."""
        _, methods, origins, horizon = arrays.points.shape
        extent = Extent(methods, origins, horizon, arrays.laws.shape[-2], arrays.keep)
        return cls(tuple(names), extent, arrays, list(keys), {name: i for i, name in enumerate(names)})

    @classmethod
    def opened(cls, _number: int, names: tuple[str, ...], extent: Extent) -> "MemoryStore":
        """A store without results."""
        blank = [("",) * extent.methods for _ in names]
        places = {name: i for i, name in enumerate(names)}
        return cls(names, extent, FoldArrays(**extent.empty(len(names))), blank, places)

    def __len__(self) -> int:
        return len(self.names)

    def at(self, place: int) -> ItemTrial:
        """The trial of the item at a place."""
        own = {name: getattr(self.arrays, name)[place] for name in ARRAYS}
        return ItemTrial(item=self.names[place], keys=self.keys[place], **own)

    def get(self, item: str) -> ItemTrial | None:
        """The trial of an item, if there is one."""
        place = self.places.get(item)
        return None if place is None else self.at(place)

    def holds(self, _item: str, _keys: tuple[str, ...]) -> bool:
        """Nothing is there before it is put in."""
        return False

    def put(self, one: ItemTrial, methods: Sequence[int]) -> None:
        """Put in the results of some methods; those of fewer origins or a shorter horizon leave the rest as it is."""
        place = self.places[one.item]
        self.keys[place] = filled(self.at(place), one, methods)

    def minutes(self, said: str, others: Sequence[Store]) -> Minutes:
        """Nowhere: it goes with this process."""
        return NO_MINUTES

    def blocks(self) -> Iterator[tuple[int, FoldArrays]]:
        """Slices of the arrays."""
        for first in range(0, max(len(self), 1), BLOCK):
            own = {name: getattr(self.arrays, name)[first : first + BLOCK] for name in ARRAYS}
            yield first, FoldArrays(**own)

    def finish(self) -> None:
        """Make the arrays read-only."""
        self.arrays.locked()


def filled(mine: ItemTrial, theirs: ItemTrial, methods: Sequence[int]) -> tuple[str, ...]:
    """Copy the results of some methods into their places, as far as both have room; the keys that hold now."""
    if tuple(methods) == tuple(range(mine.status.shape[0])):
        for name in ARRAYS:
            _copied(getattr(mine, name), getattr(theirs, name))
        return theirs.keys
    for name in ARRAYS:
        into, found = getattr(mine, name), getattr(theirs, name)
        if name in PER_METHOD:
            for at, values in zip(methods, found, strict=True):
                _copied(into[at], values)
        else:
            _copied(into, found)
    keys = list(mine.keys)
    for at, key in zip(methods, theirs.keys, strict=True):
        keys[at] = key
    return tuple(keys)


def _copied(mine: Any, theirs: Any) -> None:
    """Copy what both have room for."""
    if mine.flags.writeable:  # standard errors that are not kept are one number for all
        both = tuple(slice(min(a, b)) for a, b in zip(mine.shape, theirs.shape, strict=True))
        mine[both] = theirs[both]


def merged(before: ItemTrial | None, one: ItemTrial, methods: Sequence[int], extent: Extent) -> ItemTrial:
    """The trial of an item with the results of some methods put into what is there; nothing of it is shared."""
    mine = ItemTrial(item=one.item, keys=("",) * extent.methods, **extent.empty())
    if before is not None and before.points.shape == mine.points.shape:
        mine = replace(mine, keys=filled(mine, before, range(extent.methods)))
    trail = one.trail if len(methods) == extent.methods else None
    return replace(mine, keys=filled(mine, one, methods), trail=trail)


def stacked(trials: Sequence[ItemTrial]) -> FoldArrays:
    """Item trials on top of each other, items first."""
    return FoldArrays(**{name: np.stack([getattr(one, name) for one in trials]) for name in ARRAYS})
