"""Shelves on disk: what is published for a portfolio need not fit into memory."""

import os
from collections.abc import Iterator, Mapping
from functools import cached_property
from pathlib import Path

import pyarrow as pa
from pyarrow import parquet

from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.head import Head
from veridex.core.publication.manifest import head_entry
from veridex.core.publication.shelf import Shelf
from veridex.core.publication.tables import ITEM
from veridex.exchange.forms.extent import Extent
from veridex.exchange.forms.item_parts import PART, Reader, layouts_under, part_of
from veridex.exchange.homes import Home
from veridex.exchange.kept import Found, Grouped, Part, columns_of
from veridex.exchange.scratch import Scratch

__all__ = ["FoundItems", "PartedItems", "SpooledShelf"]

TABLES = ("forecast", "total", "item", "law")


class PartedItems(Mapping[str, ItemPublication]):
    """Items whose tables are read a part at a time, when one of them is asked for.

    Parameters
    ----------
    head : Head
    """

    def __init__(self, head: Head) -> None:
        self._head = head
        self._places: dict[str, int] = {}
        self._at_hand = (-1, dict[str, ItemPublication]())

    def parts(self) -> Iterator[Part]:
        """The tables, some items after the others."""
        return map(self._part, dict.fromkeys(self._places.values()))

    @cached_property
    def extent(self) -> Extent:
        """How much there is."""
        return Extent.of(self.values())

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
        """The tables of a part."""
        raise NotImplementedError


class FoundItems(PartedItems):
    """The items of a publication that a place holds in groups of rows.

    Parameters
    ----------
    head : Head
    tables : Grouped

    Attributes
    ----------
    others : dict of str to Table
        The rows that are of no item: of totals of groups.
    """

    def __init__(self, head: Head, tables: Grouped) -> None:
        super().__init__(head)
        self._tables = tables
        for number in range(tables.groups("item")):
            names = columns_of(tables.group("item", number, ["item"]))["item"]
            self._places |= dict.fromkeys(names.tolist(), number)
        self._groups: dict[tuple[str, int], list[int]] = {}
        others: dict[str, list[pa.Table]] = {"forecast": [], "total": [], "law": []}
        for name in ("forecast", "total", "law"):
            for number in range(tables.groups(name)):
                whose = self._part_of(name, number)
                if whose is None:
                    others[name].append(tables.group(name, number))
                else:
                    self._groups.setdefault((name, whose), []).append(number)
        self.others = {name: self._together(name, found) for name, found in others.items()}

    def _part_of(self, table: str, number: int) -> int | None:
        """Of which part the rows of a group are, all of them; None where they are of no item."""
        keys = ["item"] if table == "forecast" else ["group", "name"]
        rows = columns_of(self._tables.group(table, number, keys)[:1])
        if not rows[keys[0]].size or (table != "forecast" and rows["group"][0] != ITEM):
            return None
        return self._places[rows[keys[-1]][0]]

    def _part(self, part: int) -> Part:
        own = {
            name: [self._tables.group(name, number) for number in self._groups.get((name, part), [])]
            for name in ("forecast", "total", "law")
        }
        found = {name: self._together(name, tables) for name, tables in own.items()}
        return found | {"item": self._tables.group("item", part)}

    def _together(self, name: str, tables: list[pa.Table]) -> pa.Table:
        """Groups as one table; of none an empty one."""
        return pa.concat_tables(tables) if tables else self._tables.group(name, 0)[:0]


class SpooledShelf(PartedItems, Shelf):
    """Items as tables in a directory, some at a time; they go with the shelf.

    Parameters
    ----------
    head : Head
    home : Home, optional
        Where the tables are, perhaps some already; they stay until the publication was written where it goes. By
        default a temporary directory.
    """

    def __init__(self, head: Head, home: Home | None = None) -> None:
        super().__init__(head)
        self._home = Scratch("published") if home is None else home
        self._layouts = layouts_under(head_entry(head, ()))
        self._waiting: list[ItemPublication] = []
        self._count = 0
        while all(self._file(self._count, name).exists() for name in TABLES):
            names = columns_of(parquet.read_table(self._file(self._count, "item"), columns=["item"]))["item"]
            self._places |= dict.fromkeys(names.tolist(), self._count)
            self._count += 1
        self.extent = Extent.of(self.values())

    def put(self, one: ItemPublication) -> None:
        """Write it, together with others."""
        self._places[one.item] = self._count
        self.extent.add(one)
        self._waiting.append(one)
        if len(self._waiting) == PART:
            self.finish()

    def finish(self) -> None:
        """Write what waits."""
        if self._waiting:
            for name, table in part_of(self._waiting, self._head, self._layouts).items():
                self._write(table, self._file(self._count, name))
            self._waiting = []
            self._count += 1

    def placed(self) -> None:
        """The publication was written where it goes: nothing will have to go on with these tables."""
        if isinstance(self._home, Home):
            self._home.let_go(self)

    def _part(self, part: int) -> Part:
        tables = {name: parquet.read_table(self._file(part, name)) for name in TABLES}
        return {one.name: tables[one.name].cast(one.schema) for one in self._layouts if one.name in tables}

    def _file(self, part: int, name: str) -> Path:
        return self._home.path / f"{part}-{name}.parquet"

    def _write(self, table: pa.Table, path: Path) -> None:
        """Write all of a file or none of it."""
        begun = path.with_suffix(".begun")
        parquet.write_table(table, begun, compression="lz4")
        os.replace(begun, path)
