"""Where item publications go as they are made: into memory here; other rooms put them elsewhere."""

from collections.abc import Callable, Iterator, Mapping

from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.head import Head

__all__ = ["MemoryShelf", "Opened", "Shelf"]


class Shelf(Mapping[str, ItemPublication]):
    """What is published by item, in the order in which it was put there; a part of it may have been there before."""

    def put(self, one: ItemPublication) -> None:
        """Put what is published for an item behind the others."""
        raise NotImplementedError

    def finish(self) -> None:
        """Nothing is put there any more."""

    def placed(self) -> None:
        """The publication was written where it goes."""


Opened = Callable[[Head], Shelf]
"""Makes a shelf for the items of a publication, given what is said of the whole."""


class MemoryShelf(Shelf):
    """In memory."""

    def __init__(self, _head: Head) -> None:
        self._items: dict[str, ItemPublication] = {}

    def put(self, one: ItemPublication) -> None:
        """Keep it."""
        self._items[one.item] = one

    def __getitem__(self, item: str) -> ItemPublication:
        return self._items[item]

    def __iter__(self) -> Iterator[str]:
        return iter(self._items)

    def __len__(self) -> int:
        return len(self._items)
