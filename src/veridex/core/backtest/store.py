"""Where item trials are kept: in memory here; other rooms keep them elsewhere."""

from collections.abc import Iterator, Sequence
from typing import Any, Protocol

from veridex.core.backtest.folds import ARRAYS, PER_METHOD, FoldArrays, ItemTrial

__all__ = ["Keeper", "Kept", "MemoryStore"]


BLOCK = 64
"""Items of a block."""


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


class MemoryStore:
    """Item trials as slices of dense arrays.

    Parameters
    ----------
    names : sequence of str
        The items, in order.
    arrays : FoldArrays
        Items first.
    keys : sequence of tuple of str
        Of each item, for each method.
    """

    def __init__(self, names: Sequence[str], arrays: FoldArrays, keys: Sequence[tuple[str, ...]]) -> None:
        self.names = tuple(names)
        self.arrays = arrays
        self._keys: list[tuple[str, ...]] = list(keys)
        self._places = {name: i for i, name in enumerate(self.names)}

    @classmethod
    def allocate(
        cls, names: Sequence[str], methods: int, origins: int, components: int, horizon: int, keep: str
    ) -> "MemoryStore":
        """A store without results."""
        sizes = (len(names), methods, origins)
        blank = [("",) * methods for _ in names]
        return cls(names, FoldArrays(**FoldArrays.empty(sizes, components, horizon, keep)), blank)

    def __len__(self) -> int:
        return len(self.names)

    def at(self, place: int) -> ItemTrial:
        """The trial of the item at a place."""
        own = {name: getattr(self.arrays, name)[place] for name in ARRAYS}
        return ItemTrial(item=self.names[place], keys=self._keys[place], **own)

    def get(self, item: str) -> ItemTrial | None:
        """The trial of an item, if there is one."""
        place = self._places.get(item)
        return None if place is None else self.at(place)

    def put(self, one: ItemTrial, methods: Sequence[int]) -> ItemTrial:
        """Put in the results of some methods of an item, at these places of the lineup; return all that it has now.

        Results of fewer origins or a shorter horizon leave the rest as it is.
        """
        place = self._places[one.item]
        for name in ARRAYS:
            mine, theirs = getattr(self.arrays, name)[place], getattr(one, name)
            if name in PER_METHOD:
                for at, values in zip(methods, theirs, strict=True):
                    _fill(mine[at], values)
            else:
                _fill(mine, theirs)
        keys = list(self._keys[place])
        for at, key in zip(methods, one.keys, strict=True):
            keys[at] = key
        self._keys[place] = tuple(keys)
        return self.at(place)

    def blocks(self) -> Iterator[tuple[int, FoldArrays]]:
        """Arrays of items that stand behind each other, with the place of the first: what is added up is by blocks.

        Sums of an item are within its block, so that results do not depend on how many there are to a block; memory
        does: what is made of a block takes several times its room.
        """
        for first in range(0, max(len(self), 1), BLOCK):
            own = {name: getattr(self.arrays, name)[first : first + BLOCK] for name in ARRAYS}
            yield first, FoldArrays(**own)

    def locked(self) -> "MemoryStore":
        """The same, read-only."""
        self.arrays.locked()
        return self


def _fill(mine: Any, theirs: Any) -> None:
    """Copy what both have room for."""
    if mine.flags.writeable:  # standard errors that are not kept are one number for all
        both = tuple(slice(min(a, b)) for a, b in zip(mine.shape, theirs.shape, strict=True))
        mine[both] = theirs[both]
