"""Shelves on disk: what is published for a portfolio need not fit into memory."""

from collections.abc import Iterator
from pathlib import Path

from pyarrow import parquet

from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.head import Head
from veridex.core.publication.manifest import head_entry
from veridex.core.publication.shelf import Shelf
from veridex.exchange.forms.item_parts import PART, Reader, layouts_under, part_of
from veridex.exchange.kept import Found, Part
from veridex.exchange.scratch import Scratch

__all__ = ["SpooledShelf"]

TABLES = ("forecast", "total", "item", "law")


class SpooledShelf(Shelf):
    """Items as tables in a temporary directory, some at a time; they go with the shelf.

    Parameters
    ----------
    head : Head
    """

    def __init__(self, head: Head) -> None:
        self._home = Scratch("published")
        self._head, self._layouts = head, layouts_under(head_entry(head, ()))
        self._waiting: list[ItemPublication] = []
        self._places: dict[str, int] = {}
        self._count, self._at_hand = 0, (-1, dict[str, ItemPublication]())

    def put(self, one: ItemPublication) -> None:
        """Write it, together with others."""
        self._places[one.item] = self._count
        self._waiting.append(one)
        if len(self._waiting) == PART:
            self.finish()

    def finish(self) -> None:
        """Write what waits."""
        if self._waiting:
            for name, table in part_of(self._waiting, self._head, self._layouts).items():
                parquet.write_table(table, self._file(self._count, name), compression="lz4")
            self._waiting = []
            self._count += 1

    def parts(self) -> Iterator[Part]:
        """The tables, some items after the others."""
        return map(self._part, range(self._count))

    def __getitem__(self, item: str) -> ItemPublication:
        return self._items(self._places[item])[item]

    def __iter__(self) -> Iterator[str]:
        return iter(self._places)

    def __len__(self) -> int:
        return len(self._places)

    def _items(self, part: int) -> dict[str, ItemPublication]:
        """The items of a part, the one that was asked for last at hand."""
        if self._at_hand[0] != part:
            self._at_hand = (part, Reader(Found({}, self._part(part)), self._head).items())
        return self._at_hand[1]

    def _part(self, part: int) -> Part:
        tables = {name: parquet.read_table(self._file(part, name)) for name in TABLES}
        return {one.name: tables[one.name].cast(one.schema) for one in self._layouts if one.name in tables}

    def _file(self, part: int, name: str) -> Path:
        return self._home.path / f"{part}-{name}.parquet"
