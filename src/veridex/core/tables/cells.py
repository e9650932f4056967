"""Tables of texts, dates and numbers, read cell by cell and assembled into a history's columns."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal, TypeVar

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray
from veridex.core.periods.cadence import Cadence
from veridex.core.tables.assemble import Absent, Assembled, Combine, Unfinished, assemble
from veridex.core.tables.dates import Dates, DateWords, read_dates
from veridex.core.tables.grouping import Rows
from veridex.core.tables.inference import infer_cadence, refuse_misfit
from veridex.core.tables.left_out import totals_among, without_invalid, without_totals
from veridex.core.tables.numbers_in_text import read_flags_as_stock, read_quantities, read_shares
from veridex.core.tables.texts import different_texts, looked_up
from veridex.errors import CellUnreadable, ColumnMissing, HistoryTooShort, ParameterError

__all__ = [
    "KEY_MARK",
    "LayoutName",
    "TableLayout",
    "assemble_table",
    "columns_of",
    "holds_numbers",
    "item_keys",
    "require",
]

T = TypeVar("T")

LayoutName = Literal["long", "wide"]

KEY_MARK = " / "
"""Joins the parts of an item key that stands in several columns."""


@dataclass(frozen=True, slots=True, kw_only=True)
class TableLayout:
    """Where in a table things stand, and what to do with them; `History.from_frame` explains each."""

    item: tuple[str, ...] = ()
    period: tuple[str, ...] = ("period",)
    demand: str = "demand"
    layout: LayoutName = "long"
    items: tuple[str, ...] | None = None
    name: str = "demand"
    dates: Dates | None = None
    tz: str | None = None
    fiscal_start: str | int | None = None
    fiscal_named: Literal["end", "start"] = "end"
    decimal: str | None = None
    status: str | None = None
    invalid: tuple[str, ...] | None = None
    stock_out: str | None = None
    in_stock: str | None = None
    combine: Combine = "sum"
    absent: Absent | None = None
    unfinished: Unfinished = "drop"

    def __post_init__(self) -> None:
        for key, allowed in (
            ("layout", ("long", "wide")),
            ("dates", (None, "day-first", "month-first")),
            ("fiscal_named", ("end", "start")),
            ("combine", ("sum", "mean", "last", "count", "max")),
            ("absent", (None, "zero", "unknown")),
            ("unfinished", ("drop", "keep")),
        ):
            if getattr(self, key) not in allowed:
                words = ", ".join(repr(word) for word in allowed if word is not None)
                raise ParameterError(key, repr(getattr(self, key)), f"it is one of {words}")
        if self.items is not None and self.layout != "wide":
            raise ParameterError("items", repr(self.items), "columns are chosen in the wide layout; add layout='wide'")
        if self.invalid is not None and self.status is None:
            raise ParameterError("invalid", repr(self.invalid), "name the column it stands in with status=")
        DateWords.of(self.dates, self.tz, self.fiscal_start, self.fiscal_named)

    @property
    def date_words(self) -> DateWords:
        """What was said about dates."""
        return DateWords.of(self.dates, self.tz, self.fiscal_start, self.fiscal_named)

    @property
    def measures(self) -> tuple[str, ...]:
        """The demand column, or numerator and denominator of a ratio such as ``"units / orders"``."""
        return tuple(part.strip() for part in self.demand.split(" / ")) if " / " in self.demand else (self.demand,)

    @property
    def columns(self) -> tuple[str, ...]:
        """All columns named."""
        named = (*self.item, *self.period, *self.measures, self.status, self.stock_out, self.in_stock)
        return tuple(column for column in named if column is not None)


def columns_of(given: str | Sequence[str] | None) -> tuple[str, ...]:
    """One column name, several, or none."""
    if given is None:
        return ()
    return (given,) if isinstance(given, str) else tuple(given)


@dataclass(frozen=True, slots=True, eq=False)
class _Table:
    """What a table's cells say, whatever its layout."""

    rows: Rows
    items: tuple[str, ...]
    precision: set[str]
    notes: tuple[str, ...]
    keys: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    in_stock: FloatArray | None = None
    divisor: FloatArray | None = None


def assemble_table(
    frame: pd.DataFrame, layout: TableLayout, cadence: Cadence | None, source: str, first_row: int
) -> tuple[Assembled, Cadence]:
    """Read the named columns of a table and combine them per item and period.

    Parameters
    ----------
    frame : DataFrame
        Cells may be texts, stamps or numbers.
    layout : TableLayout
    cadence : Cadence, optional
        Inferred from the dates if not stated.
    source, first_row
        What errors call the table and its first row.

    Raises
    ------
    ColumnMissing, CellUnreadable, DatesAmbiguous, DecimalAmbiguous, CadenceUnclear, HistoryTooShort
    """
    if not (isinstance(frame.index, pd.RangeIndex) and frame.index.start == 0 and frame.index.step == 1):
        frame = frame.reset_index(drop=True)
    notes: tuple[str, ...] = ()
    if layout.status is not None:
        require(frame, (layout.status,), "status", source)
        frame, notes = without_invalid(frame, layout.status, layout.invalid)
    if layout.period[0] in frame.columns:
        frame, said = without_totals(frame, layout.period[0], first_row)
        notes += said
    if frame.empty:
        raise HistoryTooShort(source, 0, 1, "a history", "Give it at least one row below the column names.")
    fiscal = layout.date_words.fiscal
    if cadence is not None and fiscal is not None:
        cadence = cadence.fiscal(fiscal.first_month)
    table = (_wide if layout.layout == "wide" else _long)(frame, layout, cadence, source, first_row)
    notes += table.notes
    rows = table.rows
    if cadence is None:
        cadence, evidence = infer_cadence(rows.stamps[rows.dates], rows.codes, table.items, table.precision)
        cadence = cadence if fiscal is None else cadence.fiscal(fiscal.first_month)
        notes += (evidence,)
    else:
        refuse_misfit(cadence, rows.stamps, rows.dates, rows.codes, table.precision)
    parts = assemble(
        rows,
        table.items,
        cadence,
        layout.combine,
        layout.absent,
        layout.unfinished,
        table.in_stock,
        table.divisor,
    )
    key_columns = layout.item if table.keys else ()
    return replace(parts, notes=notes + parts.notes, key_columns=key_columns, keys=table.keys), cadence


def _long(frame: pd.DataFrame, layout: TableLayout, cadence: Cadence | None, source: str, first_row: int) -> _Table:
    """A row per item and period, or order lines."""
    whole = (layout.demand,) if layout.demand in frame.columns else layout.measures
    for columns, role in ((layout.item, "item"), (layout.period, "period"), (whole, "demand")):
        if role == "demand" and layout.combine == "count" and layout.demand not in frame.columns:
            continue  # rows are counted; there may be nothing to add up
        require(frame, columns, role, source)
    if len(whole) == 2 and layout.combine != "sum":
        raise ParameterError("combine", repr(layout.combine), "a ratio divides two sums; leave combine='sum'")
    stock = layout.stock_out or layout.in_stock
    if layout.stock_out is not None and layout.in_stock is not None:
        raise ParameterError("in_stock", repr(layout.in_stock), "it says more than stock_out=; leave that out")
    if stock is not None:
        require(frame, (stock,), "stock-out", source)
    bad: list[CellUnreadable] = []
    found = _tried(lambda: read_dates(frame, layout.period, layout.date_words, cadence, source, first_row), bad)
    demand: FloatArray | None = np.ones(len(frame))
    if layout.combine != "count" or layout.demand in frame.columns:
        demand = _tried(lambda: read_quantities(frame[whole[0]], source, first_row, layout.decimal), bad)
    divisor = in_stock = None
    if len(whole) == 2:
        divisor = _tried(lambda: read_quantities(frame[whole[1]], source, first_row, layout.decimal), bad)
    if stock is not None:
        read_stock = read_flags_as_stock if layout.stock_out is not None else read_shares
        in_stock = _tried(lambda: read_stock(frame[stock], source, first_row), bad)
    names, codes, keys = item_keys(frame, layout.item, layout.name)
    if "" in names and layout.item:
        empty = np.flatnonzero(codes == names.index(""))
        remedy = "Fill the key in, or mark such rows as invalid and say status=."
        at = int(empty[0]) + first_row
        bad.append(CellUnreadable(source, layout.item[0], at, "", "item key", empty.size, remedy))
    if bad:  # all kinds of them at once: nobody mends a file cell by cell
        raise replace(bad[0], also=tuple(bad[1:]))
    assert found is not None
    assert demand is not None
    rows = Rows(codes, found.stamps, found.where, demand)
    return _Table(rows, names, found.precision, found.notes, keys, in_stock, divisor)


def _tried(read: Callable[[], T], bad: list[CellUnreadable]) -> T | None:
    """What is read; nothing where cells cannot be, which are kept for one message."""
    try:
        return read()
    except CellUnreadable as problem:
        bad.append(problem)
        return None


def item_keys(
    frame: pd.DataFrame, columns: tuple[str, ...], name: str
) -> tuple[tuple[str, ...], NDArray[Any], dict[str, tuple[str, ...]]]:
    """Items in order of their names, the item of each row, and the parts of keys that stand in several columns."""
    if not columns:
        return (name,), np.zeros(len(frame), dtype=np.int32), {}
    keys = frame[columns[0]]
    for column in columns[1:]:
        keys = keys.astype(str) + KEY_MARK + frame[column].astype(str)
    texts, codes = different_texts(keys)
    order = np.argsort(texts, kind="stable")
    names = tuple(texts[order].tolist())
    rank = np.empty(order.size, dtype=codes.dtype)
    rank[order] = np.arange(order.size)
    codes = looked_up(rank, codes)
    if len(columns) == 1:
        return names, codes, {}
    _, first = np.unique(codes, return_index=True)
    parts = {names[codes[row]]: tuple(str(frame[column].iloc[row]) for column in columns) for row in first}
    return names, codes, parts


def _wide(frame: pd.DataFrame, layout: TableLayout, cadence: Cadence | None, source: str, first_row: int) -> _Table:
    """A row per period and a column per item: the chosen columns, or all that hold numbers."""
    require(frame, layout.period, "period", source)
    if (stock := layout.stock_out or layout.in_stock) is not None:
        raise ParameterError("stock_out", repr(stock), "it marks rows of one item; use the long layout")
    found = read_dates(frame, layout.period, layout.date_words, cadence, source, first_row)
    left_out, notes = [], found.notes
    if layout.items is not None:
        require(frame, layout.items, "item", source)
        columns = list(layout.items)
        plain = _plain_columns(frame, columns, layout.decimal)
    else:
        candidates = [str(column) for column in frame.columns if column not in (*layout.period, layout.status)]
        plain = _plain_columns(frame, candidates, layout.decimal)
        columns = [column for column in candidates if column in plain or holds_numbers(frame[column])]
        kept = set(columns)
        left_out = [column for column in candidates if column not in kept]
    if not columns:
        raise ColumnMissing(source, "numbers", "item", tuple(map(str, frame.columns)))
    if left_out:
        notes += (f"Left out the columns {', '.join(left_out)}: they hold no numbers.",)
    read = {
        column: plain[column] if column in plain else read_quantities(frame[column], source, first_row, layout.decimal)
        for column in columns
    }
    for column in totals_among(read) if layout.items is None else ():
        notes += (f"Left out the column {column}: it adds up the others.",)
        del read[column]
    columns, demand = list(read), list(read.values())
    codes = np.repeat(np.arange(len(columns), dtype=np.int32), len(frame))
    rows = Rows(codes, found.stamps, np.tile(found.where, len(columns)), np.concatenate(demand))
    return _Table(rows, tuple(columns), found.precision, notes)


def _plain_columns(frame: pd.DataFrame, columns: Sequence[str], decimal: str | None) -> dict[str, FloatArray]:
    """Columns of plainly written numbers, read all at once: a sheet may have a million of them."""
    if decimal is not None or not columns:
        return {}
    cells = frame[list(columns)].to_numpy(dtype=object)
    numbers = pd.to_numeric(pd.Series(cells.ravel()), errors="coerce").to_numpy(dtype=np.float64).reshape(cells.shape)
    empty = np.equal(cells, "").astype(bool) | pd.isna(cells)
    good = (np.isfinite(numbers) | empty).all(axis=0) & np.isfinite(numbers).any(axis=0)
    return {columns[i]: numbers[:, i] for i in np.flatnonzero(good).tolist()}


def holds_numbers(column: "pd.Series[Any]") -> bool:
    """Whether a column is mostly numbers: a single slip is then an error to be named, not a reason to drop it."""
    if pd.api.types.is_numeric_dtype(column):
        return True
    filled = column.dropna().astype(str).str.strip()
    filled = filled[filled != ""]
    number = r"[+-]?[\d\s.,']*\d[\d\s.,']*(?:[eE][+-]?\d+)?"
    return bool(filled.str.fullmatch(number).mean() > 0.5) if len(filled) else False


def require(frame: pd.DataFrame, columns: Sequence[str], role: str, source: str) -> None:
    """Raise `ColumnMissing` if a column is not there."""
    for column in columns:
        if column not in frame.columns:
            raise ColumnMissing(source, column, role, tuple(map(str, frame.columns)))
