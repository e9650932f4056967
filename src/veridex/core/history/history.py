"""`History`: the demand of many items on one cadence."""

import hashlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np
import pandas as pd
from numpy.typing import ArrayLike

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.history.coarser import Gather
from veridex.core.history.item import ItemHistory, Rules, Spans, locked
from veridex.core.history.marks import Mark
from veridex.core.periods.cadence import Cadence
from veridex.core.tables.assemble import Absent, Assembled, Combine, Repeat, Unfinished
from veridex.core.tables.cells import LayoutName, TableLayout, assemble_table, columns_of
from veridex.core.tables.dates import Dates
from veridex.core.tables.numbers_in_text import refuse_infinite
from veridex.errors import HistoryTooShort, ItemUnknown, ParameterError

__all__ = ["History", "as_history"]


@dataclass(frozen=True, eq=False, kw_only=True)
class History(Spans):
    """The demand of many items on one cadence, kept as one array.

    Attributes
    ----------
    cadence : Cadence
    season_length : int
        Periods after which the season repeats; 1 where there is none.
    names : tuple of str
        The items, sorted as they first appear in the source.
    values : ndarray of float
        All items' demand end to end, NaN where unknown; read-only. Tidied, where there are rules.
    offsets : ndarray of int, shape (items + 1,)
        Where each item begins in `values`.
    starts : ndarray of int, shape (items,)
        Ordinal of each item's first period.
    unit : str or None
    notes : tuple of str
        What was decided, filled or left out while it was read.
    key_columns, keys
        Where item keys were joined from several columns: these columns, and the parts of each item's key.
    raw, rules, stock_outs, parts
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
    unit: str | None = None
    notes: tuple[str, ...] = field(default=(), repr=False)
    key_columns: tuple[str, ...] = field(default=(), repr=False)
    keys: Mapping[str, tuple[str, ...]] = field(default_factory=dict, repr=False)
    raw: FloatArray | None = field(default=None, repr=False)
    rules: Rules | None = field(default=None, repr=False)
    stock_outs: BoolArray | None = field(default=None, repr=False)
    parts: FloatArray | None = field(default=None, repr=False)
    repeats: Mapping[str, tuple[Repeat, ...]] = field(default_factory=dict, repr=False)
    unfinished: int | None = field(default=None, repr=False)
    marks: tuple[Mark, ...] = field(default=(), repr=False)

    def __post_init__(self) -> None:
        for array in (self.values, self.offsets, self.starts, self.raw, self.stock_outs, self.parts):
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
            start=int(self.starts[i]),
            values=self.values[own],
            unit=self.unit,
            raw=None if self.raw is None else self.raw[own],
            rules=self.rules,
            stock_outs=None if self.stock_outs is None else self.stock_outs[own],
            parts=None if self.parts is None else self.parts[:, own],
        )

    @property
    def actuals(self) -> FloatArray:
        """Demand as it was read, never filled or repaired."""
        return self.values if self.raw is None else self.raw

    def _with(self, series: list[ItemHistory], notes: tuple[str, ...]) -> "History":
        """Other series of the same items, with what was known of their source."""
        made = History.of(series, notes=notes)
        same = made.cadence == self.cadence
        return replace(
            made,
            key_columns=self.key_columns,
            keys=self.keys,
            repeats=self.repeats if same else {},
            unfinished=self.unfinished if same else None,
            marks=self.marks if same else (),
        )

    def only(self, item: str) -> "History":
        """A history of one item alone.

        Raises
        ------
        ItemUnknown
            If there is no such item.
        """
        return self._with([self[item]], self.notes)

    def under(self, rules: Rules | None) -> "History":
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

    def _narrow(self, span: Callable[[int, int], tuple[int, int]], wanted: str) -> "History":
        kept, lost = [], 0
        for series in self:
            try:
                kept.append(series._narrow(span, wanted))
            except HistoryTooShort:
                lost += 1
        if not kept:
            raise HistoryTooShort("every item", 0, 1, f"the span {wanted}", "Choose a span the history covers.")
        notes = self.notes + ((f"{lost} items have no period {wanted} and were left out.",) if lost else ())
        return self._with(kept, notes)

    def at_cadence(self, cadence: str | Cadence, gather: Gather = "sum") -> "History":
        """Add up (or average) to a coarser cadence; a coarser period not wholly known is unknown.

        A ratio is one of sums at every cadence. Of a tidied history the raw values are gathered and its rules applied
        to them at the new cadence.

        Raises
        ------
        CadenceUnknown, ParameterError
            If the periods of one do not fit into those of the other.
        """
        kept = [series.at_cadence(cadence, gather) for series in self]
        word = "added up" if gather == "sum" and self.parts is None else "averaged"
        word = "divided again, sum by sum," if self.parts is not None else word
        notes = (*self.notes, f"{self.cadence.name} demand was {word} to {kept[0].cadence.name}.".capitalize())
        return self._with(kept, notes)

    def to_frame(self) -> pd.DataFrame:
        """The history as a long table: item, period, demand; of a tidied one also raw."""
        ordinals = np.concatenate([series.ordinals for series in self])
        items = np.repeat(np.array(self.names, dtype=object), np.diff(self.offsets))
        table = {"item": items, "period": self.cadence.starts(ordinals), "demand": self.values}
        return pd.DataFrame(table if self.raw is None else table | {"raw": self.raw})

    @classmethod
    def of(cls, series: list[ItemHistory], notes: tuple[str, ...] = ()) -> "History":
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
        outs = [np.zeros(len(one), dtype=bool) if one.stock_outs is None else one.stock_outs for one in series]
        if parts and len(parts) < len(series):
            raise ParameterError("series", repr(first), "some of them are ratios of two sums and some are not")
        return cls(
            cadence=first.cadence,
            season_length=first.season_length,
            names=tuple(one.item for one in series),
            values=np.concatenate([one.values for one in series]),
            offsets=np.concatenate(([0], np.cumsum(lengths))).astype(np.int64),
            starts=np.array([one.start for one in series], dtype=np.int64),
            unit=first.unit,
            notes=notes,
            raw=None if first.rules is None else np.concatenate([one.actuals for one in series]),
            rules=first.rules,
            stock_outs=np.concatenate(outs) if any(one.stock_outs is not None for one in series) else None,
            parts=np.concatenate(parts, axis=1) if parts else None,
        )

    @classmethod
    def from_assembled(
        cls, parts: Assembled, cadence: Cadence, *, season_length: int | None = None, unit: str | None = None
    ) -> "History":
        """Wrap assembled columns."""
        return cls(
            cadence=cadence,
            season_length=_season(cadence, season_length),
            names=parts.items,
            values=parts.values,
            offsets=parts.offsets,
            starts=parts.starts,
            unit=unit,
            notes=parts.notes,
            key_columns=parts.key_columns,
            keys=parts.keys,
            stock_outs=parts.stock_outs,
            parts=parts.parts,
            repeats=parts.repeats,
            unfinished=parts.unfinished,
        )

    @classmethod
    def from_numbers(
        cls,
        numbers: ArrayLike,
        *,
        cadence: str | Cadence,
        start: object = None,
        item: str = "demand",
        season_length: int | None = None,
        unit: str | None = None,
    ) -> "History":
        """Make a history of one item from bare numbers.

        Parameters
        ----------
        numbers : array_like of float, shape (n,)
            Demand per period, oldest first; NaN or None is unknown.
        cadence : str
        start : optional
            The first period, ``"2019-01"``; may be left out when counted, and is then 1.
        item : str
            What the series is called.
        season_length : int, optional
            Periods after which the season repeats; the cadence's own otherwise.
        unit : str, optional
            The unit of demand, for titles and axes.

        Raises
        ------
        CadenceUnknown, ParameterError, CellUnreadable
            If the cadence is unknown, the start missing or unreadable, a number infinite.

        Examples
        --------
        >>> History.from_numbers([12, 15, 11], start="2019-01", cadence="monthly", item="hive stands")
        History(1 items, monthly, 2019-01 to 2019-03, 3 periods in all)
        """
        spacing = Cadence.named(cadence)
        if start is None and not spacing.counted:
            raise ParameterError("start", "None", "bare numbers need their first period, as in start='2019-01'")
        values = np.array(numbers, dtype=np.float64).reshape(-1)
        if values.size == 0:
            raise HistoryTooShort(item, 0, 1, "a history", "Pass at least one number.")
        refuse_infinite(pd.Series(values, name=item), "numbers", first_row=1)
        parts = Assembled(
            (item,),
            values,
            np.array([0, values.size], dtype=np.int64),
            np.array([1 if start is None else spacing.period(start)], dtype=np.int64),
            (),
        )
        return cls.from_assembled(parts, spacing, season_length=season_length, unit=unit)

    @classmethod
    def from_frame(
        cls,
        frame: "pd.DataFrame | pd.Series[Any]",
        *,
        item: str | Sequence[str] | None = None,
        period: str | Sequence[str] | None = None,
        demand: str | None = None,
        cadence: str | Cadence | None = None,
        name: str = "demand",
        season_length: int | None = None,
        unit: str | None = None,
        layout: LayoutName = "long",
        items: Sequence[str] | None = None,
        dates: Dates | None = None,
        tz: str | None = None,
        fiscal_start: str | int | None = None,
        fiscal_named: Literal["end", "start"] = "end",
        decimal: str | None = None,
        status: str | None = None,
        invalid: Sequence[str] | None = None,
        stock_out: str | None = None,
        combine: Combine = "sum",
        absent: Absent | None = None,
        unfinished: Unfinished = "drop",
    ) -> "History":
        """Make a history from a table: order lines, a row per item and period, or a column per item.

        Parameters
        ----------
        frame : DataFrame or Series
            Of a Series the index holds the periods. Of a DataFrame without the `period` column, so does its index.
        item : str or sequence of str, optional
            Column of the item keys; several are joined and kept as columns of `history.items`. Without it all
            rows are one item called `name`.
        period : str or sequence of str
            Column of the dates (stamps, or text in any spelling of docs/formats.md; whole numbers when counted);
            or the columns of year and month, quarter or week. By default ``"period"``.
        demand : str
            Column of the quantities; by default ``"demand"``. ``"units / orders"`` is a ratio of two columns: their
            sums are divided, at every cadence.
        cadence : str, optional
            Inferred from the dates if not stated; the notes say the evidence.
        season_length, unit
            As in `from_numbers`.
        layout : {"long", "wide"}
            Wide: a column per item, those named in `items` or all that hold numbers.
        dates : {"day-first", "month-first"}, optional
            How ``03/04/2024`` is read where the column does not tell.
        tz : str, optional
            Whose days are meant where stamps carry a time zone, ``"Europe/London"``; periods shorter than a day are
            kept in UTC.
        fiscal_start : str or int, optional
            The first month of the year, ``"april"``, where years and quarters are not the calendar's.
        fiscal_named : {"end", "start"}
            Whether a fiscal year is called by the calendar year in which it ends or begins.
        decimal : {".", ","}, optional
            The decimal mark where the column does not tell.
        status : str, optional
            Column that marks rows as invalid; they are left out and counted.
        invalid : sequence of str, optional
            What marks them, in any case of letters; by default words such as ``cancelled``, ``void``, ``no``.
        stock_out : str, optional
            Column that says yes where there was nothing to sell: such a period is unknown, not zero.
        combine : {"sum", "mean", "last", "count", "max"}
            How several rows of a period become its demand; any unknown row makes it unknown.
        absent : {"zero", "unknown"}, optional
            What a period without a row means: by default zero for order lines added up or counted, unknown
            otherwise.
        unfinished : {"drop", "keep"}
            What to do with a last period in which the order lines stop too early.

        Raises
        ------
        CadenceUnknown, CadenceUnclear, ColumnMissing, CellUnreadable, DatesAmbiguous, DecimalAmbiguous,
        HistoryTooShort, ParameterError
            If the table does not hold what it is said to hold.
        """
        where = TableLayout(
            item=columns_of(item),
            period=columns_of(period) or ("period",),
            demand=demand or "demand",
            layout=layout,
            items=None if items is None else tuple(items),
            name=name,
            dates=dates,
            tz=tz,
            fiscal_start=fiscal_start,
            fiscal_named=fiscal_named,
            decimal=decimal,
            status=status,
            invalid=None if invalid is None else tuple(invalid),
            stock_out=stock_out,
            combine=combine,
            absent=absent,
            unfinished=unfinished,
        )
        table = _with_period_column(frame, where)
        return cls.from_table(table, where, cadence, season_length=season_length, unit=unit)

    @classmethod
    def from_table(
        cls,
        frame: pd.DataFrame,
        layout: TableLayout,
        cadence: str | Cadence | None,
        *,
        season_length: int | None = None,
        unit: str | None = None,
        source: str = "the table",
        first_row: int = 1,
        notes: tuple[str, ...] = (),
    ) -> "History":
        """Make a history from a table whose layout is stated; `source` and `first_row` are what errors call it."""
        stated = None if cadence is None else Cadence.named(cadence)
        parts, spacing = assemble_table(frame, layout, stated, source, first_row)
        parts = replace(parts, notes=notes + parts.notes)
        return cls.from_assembled(parts, spacing, season_length=season_length, unit=unit)


def _with_period_column(frame: "pd.DataFrame | pd.Series[Any]", layout: TableLayout) -> pd.DataFrame:
    """Bring periods that stand in the index into a column."""
    if isinstance(frame, pd.Series):
        return pd.DataFrame({layout.period[0]: frame.index, layout.demand: frame.to_numpy()})
    if layout.period[0] in frame.columns:
        return frame
    in_index = isinstance(frame.index, pd.DatetimeIndex) or frame.index.name == layout.period[0]
    return frame.rename_axis(layout.period[0]).reset_index() if in_index else frame


def _season(cadence: Cadence, season_length: int | None) -> int:
    if season_length is not None and season_length < 1:
        raise ParameterError("season_length", str(season_length), "a season has at least one period")
    return cadence.season_length if season_length is None else season_length


def as_history(demand: object) -> History:
    """A history, also of one item alone; anything else is refused.

    Raises
    ------
    ParameterError
        If it is no history.
    """
    if isinstance(demand, ItemHistory):
        return History.of([demand])
    if isinstance(demand, History):
        return demand
    problem = "pass a history: vx.read_history(file), History.from_frame(table), History.from_numbers(...)"
    raise ParameterError("history", repr(type(demand).__name__), problem)
