"""`Columnar`: what a history of many items holds, and the items and spans that are cut out of it."""

import hashlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Self

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.history.coarser import Gather
from veridex.core.history.item import ItemHistory, Rules, Spans, locked, uncensored
from veridex.core.history.marks import Mark
from veridex.core.history.measure import DEMAND, Measure
from veridex.core.periods.cadence import Cadence
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

    def __post_init__(self) -> None:
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
        if item not in self._places:
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

    def _with(self, series: list[ItemHistory], notes: tuple[str, ...]) -> Self:
        """Other series of the same items, with what was known of their source."""
        made = type(self).of(series, notes=notes)
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
        return self._with([series.under(rules) for series in self], self.notes)

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
        kept, lost = [], 0
        for series in self:
            try:
                kept.append(series._narrow(span, wanted))
            except HistoryTooShort:
                lost += 1
        if not kept:
            raise HistoryTooShort("every item", 0, 1, f"the span {wanted}", "Choose a span the history covers.")
        who, were = ("1 item has", "was") if lost == 1 else (f"{lost} items have", "were")
        notes = self.notes + ((f"{who} no period {wanted} and {were} left out.",) if lost else ())
        return self._with(kept, notes)

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
        kept = [series.at_cadence(cadence, gather) for series in self]
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
            f"{self.cadence.name} demand was {word} to {kept[0].cadence.name}.".capitalize(),
        )
        return self._with(kept, notes)

    def to_frame(self) -> pd.DataFrame:
        """The history as a long table: item, period, demand; of a tidied one also raw."""
        ordinals = np.concatenate([series.ordinals for series in self])
        items = np.repeat(np.array(self.names, dtype=object), np.diff(self.offsets))
        table = {"item": items, "period": self.cadence.starts(ordinals), "demand": self.values}
        return pd.DataFrame(table if self.raw is None else table | {"raw": self.raw})

    @classmethod
    def of(cls, series: list[ItemHistory], notes: tuple[str, ...] = ()) -> Self:
        """Put histories of single items on one cadence together.

        Raises
        ------
        ParameterError
            If their cadences differ, they were tidied by different rules, or only some are ratios.
        """
        first = series[0]
        other = next((one for one in series if one.cadence != first.cadence), None)
        if other is not None:
            differ = f"{first.item!r} is {first.cadence.name}, {other.item!r} {other.cadence.name}"
            raise ParameterError("series", repr(other), f"a history has one cadence: {differ}")
        if any(one.rules != first.rules for one in series):
            problem = (
                "they were tidied by different rules; tidy them together, or pass series.under(None), the raw values"
            )
            raise ParameterError("series", repr(first), problem)
        lengths = [len(one) for one in series]
        parts = [one.parts for one in series if one.parts is not None]
        outs = [uncensored(len(one)) if one.censored is None else one.censored for one in series]
        if parts and len(parts) < len(series):
            raise ParameterError("series", repr(first), "some of them are ratios of two sums and some are not")
        return cls(
            cadence=first.cadence,
            season_length=first.season_length,
            stated=first.stated,
            names=tuple(one.item for one in series),
            values=np.concatenate([one.values for one in series]),
            offsets=np.concatenate(([0], np.cumsum(lengths))).astype(np.int64),
            starts=np.array([one.start for one in series], dtype=np.int64),
            measure=first.measure,
            notes=notes,
            raw=None if first.rules is None else np.concatenate([one.actuals for one in series]),
            rules=first.rules,
            censored=np.concatenate(outs, axis=1) if any(one.censored is not None for one in series) else None,
            parts=np.concatenate(parts, axis=1) if parts else None,
        )
