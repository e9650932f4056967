"""`Columnar`: what a history of many items holds, and the items and spans that are cut out of it."""

import hashlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import chain
from typing import Self

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.history.coarser import Gather
from veridex.core.history.item import ItemHistory, Rules, Spans, locked, uncensored
from veridex.core.history.marks import Mark
from veridex.core.history.measure import DEMAND, Measure
from veridex.core.periods.cadence import Cadence
from veridex.core.room import MEMORY, Growing, Room
from veridex.core.tables.assemble import Repeat
from veridex.errors import HistoryTooShort, ItemUnknown, ParameterError

__all__ = ["Columnar"]


@dataclass(frozen=True, eq=False, kw_only=True)
class Columnar(Spans):
    """The demand of many items on one cadence, kept as one array.

    Attributes
    ----------
    cadence : Cadence
    season_length : int
        Periods after which the season repeats; 1 where there is none.
    stated : tuple of float
        All seasons, where they were stated; see `ItemHistory`.
    names : tuple of str
        The items, sorted as they first appear in the source.
    values : ndarray of float
        All items' demand end to end, NaN where unknown; read-only. Tidied, where there are rules.
    offsets : ndarray of int, shape (items + 1,)
        Where each item begins in `values`.
    starts : ndarray of int, shape (items,)
        Ordinal of each item's first period.
    measure : Measure
        As in `ItemHistory`.
    notes : tuple of str
        What was decided, filled or left out while it was read.
    key_columns, keys
        Where item keys were joined from several columns: these columns, and the parts of each item's key.
    raw, rules, censored, parts
        As in `ItemHistory`, for all items end to end.
    repeats
        Of a table with a row per period: the periods of each item that have several rows.
    unfinished : int or None
        Ordinal of a last period that is known to be unfinished.
    marks
        What tidying did once and for all: rows merged, unfinished periods dropped.
    room : Room
        Where the arrays are, and where those of histories made of this one are put.
    """

    cadence: Cadence
    season_length: int
    names: tuple[str, ...]
    values: FloatArray = field(repr=False)
    offsets: IntArray = field(repr=False)
    starts: IntArray = field(repr=False)
    stated: tuple[float, ...] = ()
    measure: Measure = DEMAND
    notes: tuple[str, ...] = field(default=(), repr=False)
    key_columns: tuple[str, ...] = field(default=(), repr=False)
    keys: Mapping[str, tuple[str, ...]] = field(default_factory=dict, repr=False)
    raw: FloatArray | None = field(default=None, repr=False)
    rules: Rules | None = field(default=None, repr=False)
    censored: FloatArray | None = field(default=None, repr=False)
    parts: FloatArray | None = field(default=None, repr=False)
    repeats: Mapping[str, tuple[Repeat, ...]] = field(default_factory=dict, repr=False)
    unfinished: int | None = field(default=None, repr=False)
    marks: tuple[Mark, ...] = field(default=(), repr=False)
    room: Room = field(default=MEMORY, repr=False)

    def __post_init__(self) -> None:
        _refuse_half_letters(self.names)
        for array in (self.values, self.offsets, self.starts, self.raw, self.censored, self.parts):
            if array is not None:
                locked(array)

    def __len__(self) -> int:
        return len(self.names)

    def __iter__(self) -> Iterator[ItemHistory]:
        return (self.at(i) for i in range(len(self)))

    def __repr__(self) -> str:
        first = self.cadence.text(int(self.starts.min()))
        last = self.cadence.text(int((self.starts + np.diff(self.offsets)).max()) - 1)
        return (
            f"History({len(self)} items, {self.cadence.name}, {first} to {last}, {self.values.size:,} periods in all)"
        )

    def __getitem__(self, item: str) -> ItemHistory:
        """The history of one item.

        Raises
        ------
        ItemUnknown
            If there is no such item.
        """
        return self.at(self.place(item))

    @property
    def fingerprint(self) -> str:
        """SHA-256 of the fingerprints of all items, in their order."""
        return hashlib.sha256("".join(one.fingerprint for one in self).encode()).hexdigest()

    def place(self, item: str) -> int:
        """Where an item stands among the others.

        Raises
        ------
        ItemUnknown
            If there is no such item.
        """
        if not isinstance(item, str) or item not in self._places:
            raise ItemUnknown(str(item), self.names)
        return self._places[item]

    @cached_property
    def _places(self) -> dict[str, int]:
        """Where each item stands: looked up in the same time among ten and a million."""
        return {name: i for i, name in enumerate(self.names)}

    def at(self, i: int) -> ItemHistory:
        """The history of the item in a place."""
        own = slice(int(self.offsets[i]), int(self.offsets[i + 1]))
        return ItemHistory(
            item=self.names[i],
            cadence=self.cadence,
            season_length=self.season_length,
            stated=self.stated,
            start=int(self.starts[i]),
            values=self.values[own],
            measure=self.measure,
            raw=None if self.raw is None else self.raw[own],
            rules=self.rules,
            censored=None if self.censored is None else self.censored[:, own],
            parts=None if self.parts is None else self.parts[:, own],
        )

    @property
    def actuals(self) -> FloatArray:
        """Demand as it was read, never filled or repaired."""
        return self.values if self.raw is None else self.raw

    def _with(self, series: Iterable[ItemHistory], notes: tuple[str, ...]) -> Self:
        """Other series of the same items, with what was known of their source."""
        made = type(self).of(series, notes=notes, room=self.room)
        same = made.cadence == self.cadence
        return replace(
            made,
            key_columns=self.key_columns,
            keys=self.keys,
            repeats=self.repeats if same else {},
            unfinished=self.unfinished if same else None,
            marks=self.marks if same else (),
        )

    def only(self, item: str) -> Self:
        """A history of one item alone.

        Raises
        ------
        ItemUnknown
            If there is no such item.
        """
        return self._with([self[item]], self.notes)

    def under(self, rules: Rules | None) -> Self:
        """The same raw values under other rules; None for the raw values themselves."""
        if rules is None and self.rules is None:
            return self
        return self._with((series.under(rules) for series in self), self.notes)

    @property
    def items(self) -> pd.DataFrame:
        """A row per item: item, the columns its key was joined from, first and last period, periods, unknown."""
        lengths = np.diff(self.offsets)
        parts = {column: [self.keys[name][i] for name in self.names] for i, column in enumerate(self.key_columns)}
        return pd.DataFrame(
            {
                "item": list(self.names),
                **parts,
                "first": self.cadence.starts(self.starts),
                "last": self.cadence.starts(self.starts + lengths - 1),
                "periods": lengths,
                "unknown": [int(np.isnan(series.values).sum()) for series in self],
            }
        )

    def _narrow(self, span: Callable[[int, int], tuple[int, int]], wanted: str) -> Self:
        def kept() -> Iterator[ItemHistory]:
            for series in self:
                with suppress(HistoryTooShort):
                    yield series._narrow(span, wanted)

        narrowed = kept()
        first = next(narrowed, None)
        if first is None:
            raise HistoryTooShort("every item", 0, 1, f"the span {wanted}", "Choose a span the history covers.")
        made = self._with(chain([first], narrowed), self.notes)
        lost = len(self) - len(made)
        who, were = ("1 item has", "was") if lost == 1 else (f"{lost} items have", "were")
        return replace(made, notes=(*self.notes, f"{who} no period {wanted} and {were} left out.")) if lost else made

    def at_cadence(self, cadence: str | Cadence, gather: Gather | None = None) -> Self:
        """Gather to a coarser cadence: what adds up is added up, what does not averaged, unless you say otherwise.

        A coarser period not wholly known is unknown.

        A ratio is one of sums at every cadence. Of a tidied history the raw values are gathered and its rules applied
        to them at the new cadence.

        Raises
        ------
        CadenceUnknown, ParameterError
            If the periods of one do not fit into those of the other.
        """
        made = self._with((series.at_cadence(cadence, gather) for series in self), self.notes)
        summed = gather == "sum" if gather else self.measure.adds_up
        word = "added up" if summed and self.parts is None else "averaged"
        word = "divided again, sum by sum," if self.parts is not None else word
        told = tuple(f"{length:g}" for length in self.stated if length > 1)
        lost = (
            f"The stated seasons ({', '.join(told)}) were of {self.cadence.plural}; the calendar's are looked for.",
        )
        notes = (
            *self.notes,
            *(lost if told else ()),
            f"{self.cadence.name} demand was {word} to {made.cadence.name}.".capitalize(),
        )
        return replace(made, notes=notes)

    def to_frame(self) -> pd.DataFrame:
        """The history as a long table: item, period, demand; of a tidied one also raw."""
        ordinals = np.concatenate([series.ordinals for series in self])
        items = np.repeat(np.array(self.names, dtype=object), np.diff(self.offsets))
        table = {"item": items, "period": self.cadence.starts(ordinals), "demand": self.values}
        return pd.DataFrame(table if self.raw is None else table | {"raw": self.raw})

    @classmethod
    def of(cls, series: Iterable[ItemHistory], notes: tuple[str, ...] = (), room: Room = MEMORY) -> Self:
        """Put histories of single items on one cadence together, one after the other.

        Raises
        ------
        ParameterError
            If there are none, their cadences differ, they were tidied by different rules, or only some are ratios.
        """
        joined = _Joined(room)
        for one in series:
            joined.add(one)
        first = joined.first
        return cls(
            cadence=first.cadence,
            season_length=first.season_length,
            stated=first.stated,
            names=tuple(joined.names),
            values=joined.values.finished(),
            offsets=np.concatenate(([0], np.cumsum(joined.lengths))).astype(np.int64),
            starts=np.array(joined.starts, dtype=np.int64),
            measure=first.measure,
            notes=notes,
            raw=None if first.rules is None else joined.raw.finished(),
            rules=first.rules,
            censored=None if joined.censored is None else joined.censored.finished(),
            parts=None if first.parts is None else joined.parts.finished(),
            room=room,
        )


def _refuse_half_letters(names: Sequence[str]) -> None:
    """Raise `ParameterError` for names that no text can hold."""
    try:
        "\n".join(names).encode()
    except UnicodeEncodeError as found:
        half = ascii(found.object[found.start])
        raise ParameterError("item", half, "a name holds half a letter, which no file can; mend the name") from None


class _Joined:
    """Series that are put behind each other; each is let go when it was added."""

    def __init__(self, room: Room) -> None:
        self._room = room
        self.names: list[str] = []
        self.lengths: list[int] = []
        self.starts: list[int] = []
        self.values, self.raw, self.parts = room.growing(), room.growing(), room.growing()
        self.censored: Growing | None = None
        self._first: ItemHistory | None = None

    @property
    def first(self) -> ItemHistory:
        """The first of all."""
        if self._first is None:
            raise ParameterError("series", "none", "a history is of one item at least")
        return self._first

    def add(self, one: ItemHistory) -> None:
        """Put a series behind the others."""
        first = self._first = one if self._first is None else self._first
        _refuse_another_kind(one, first)
        if one.censored is not None and self.censored is None:
            self.censored = self._room.growing()
            if self.lengths:
                self.censored.add(uncensored(sum(self.lengths)))
        self.names.append(one.item)
        self.lengths.append(len(one))
        self.starts.append(one.start)
        self.values.add(one.values)
        if one.rules is not None:
            self.raw.add(one.actuals)
        if one.parts is not None:
            self.parts.add(one.parts)
        if self.censored is not None:
            self.censored.add(uncensored(len(one)) if one.censored is None else one.censored)


def _refuse_another_kind(one: ItemHistory, first: ItemHistory) -> None:
    if one.cadence != first.cadence:
        differ = f"{first.item!r} is {first.cadence.name}, {one.item!r} {one.cadence.name}"
        raise ParameterError("series", repr(one), f"a history has one cadence: {differ}")
    if one.rules is not first.rules and one.rules != first.rules:
        problem = "they were tidied by different rules; tidy them together, or pass series.under(None), the raw values"
        raise ParameterError("series", repr(first), problem)
    if (one.parts is None) != (first.parts is None):
        raise ParameterError("series", repr(first), "some of them are ratios of two sums and some are not")
