"""Rows of a long table, read cell by cell: items, dates, quantities."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray
from veridex.core.periods.cadence import Cadence
from veridex.core.tables.dates import DateEvidence, read_dates
from veridex.core.tables.grouping import Rows
from veridex.core.tables.layout import TableLayout
from veridex.core.tables.numbers_in_text import read_flags_as_stock, read_quantities, read_shares
from veridex.core.tables.texts import different_texts, looked_up
from veridex.errors import CellUnreadable, ColumnMissing, FileUnreadable, ParameterError

__all__ = [
    "KEY_MARK",
    "Cells",
    "Spelled",
    "Table",
    "column_twice",
    "different_keys",
    "holds_numbers",
    "item_keys",
    "long_table",
    "require",
]

T = TypeVar("T")

KEY_MARK = " / "
"""Joins the parts of an item key that stands in several columns."""


@dataclass(frozen=True, slots=True, eq=False)
class Spelled:
    """What whole columns decided of the spelling of their cells: dates, and the decimal mark of each column."""

    dates: DateEvidence
    decimals: Mapping[str, str]


@dataclass(frozen=True, slots=True, eq=False)
class Cells:
    """How cells are read, and what errors call the table and its first row.

    Without `spelled` the rows at hand are all there are, and decide for themselves.
    """

    layout: TableLayout
    cadence: Cadence | None
    source: str
    first_row: int
    spelled: Spelled | None = None

    def decimal(self, column: str) -> str | None:
        """The decimal mark of a column, where it is stated or was decided."""
        return self.layout.decimal or (None if self.spelled is None else self.spelled.decimals.get(column))


@dataclass(frozen=True, slots=True, eq=False)
class Table:
    """What the cells of some rows say, whatever the layout: all rows of the items that are in it.

    `rows.codes` count `items`; `keys` has the parts of keys that stand in several columns; `in_stock` and `divisor` a
    number for each row.
    """

    rows: Rows
    items: tuple[str, ...]
    precision: set[str]
    notes: tuple[str, ...]
    keys: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    in_stock: FloatArray | None = None
    divisor: FloatArray | None = None


def long_table(frame: pd.DataFrame, cells: Cells) -> Table:
    """Read a row per item and period, or order lines; the index of the frame numbers the rows.

    Raises
    ------
    ColumnMissing, ParameterError, DatesAmbiguous, DecimalAmbiguous
    CellUnreadable
        Naming the first bad cell of each column.
    """
    layout, source, first_row = cells.layout, cells.source, cells.first_row
    whole, stock = required_columns(frame, layout, source)
    bad: list[CellUnreadable] = []

    def tried(read: Callable[[], T]) -> T | None:
        try:
            return read()
        except CellUnreadable as problem:
            bad.append(problem)
            return None

    def quantities(column: str) -> FloatArray | None:
        return tried(lambda: read_quantities(frame[column], source, first_row, cells.decimal(column)))

    evidence = None if cells.spelled is None else cells.spelled.dates
    found = tried(
        lambda: read_dates(frame, layout.period, layout.date_words, cells.cadence, source, first_row, evidence)
    )
    counts = layout.combine == "count" and layout.demand not in frame.columns
    demand = np.ones(len(frame)) if counts else quantities(whole[0])
    divisor = quantities(whole[1]) if len(whole) == 2 else None
    in_stock = None
    if layout.stock_out is not None:
        in_stock = tried(lambda: read_flags_as_stock(frame[stock], source, first_row))
    elif stock is not None:
        in_stock = tried(lambda: read_shares(frame[stock], source, first_row, cells.decimal(stock)))
    names, codes, keys = item_keys(frame, layout.item, layout.name)
    if "" in names and layout.item:
        empty = np.flatnonzero(codes == names.index(""))
        remedy = "Fill the key in, or mark such rows as invalid and say status=."
        at = int(frame.index[int(empty[0])]) + first_row
        bad.append(CellUnreadable(source, layout.item[0], at, "", "item key", empty.size, remedy))
    if bad:  # all kinds of them at once: nobody mends a file cell by cell
        raise replace(bad[0], also=tuple(bad[1:]))
    assert found is not None
    assert demand is not None
    rows = Rows(codes, found.stamps, found.where, demand)
    return Table(rows, names, found.precision, found.notes, keys, in_stock, divisor)


def required_columns(frame: pd.DataFrame, layout: TableLayout, source: str) -> tuple[tuple[str, ...], str | None]:
    """The columns of quantities, numerator and denominator of a ratio, and that of stock, all columns being there.

    Raises
    ------
    ColumnMissing, ParameterError
    """
    whole = (layout.demand,) if layout.demand in frame.columns else layout.measures
    for columns, role in ((layout.item, "item"), (layout.period, "period"), (whole, "demand")):
        if role == "demand" and layout.combine == "count" and layout.demand not in frame.columns:
            continue  # rows are counted; there may be nothing to add up
        require(frame, columns, role, source)
    if len(whole) == 2 and layout.combine != "sum":
        raise ParameterError("combine", repr(layout.combine), "a ratio divides two sums; leave combine='sum'")
    if layout.stock_out is not None and layout.in_stock is not None:
        raise ParameterError("in_stock", repr(layout.in_stock), "it says more than stock_out=; leave that out")
    stock = layout.stock_out or layout.in_stock
    if stock is not None:
        require(frame, (stock,), "stock-out", source)
    return whole, stock


def item_keys(
    frame: pd.DataFrame, columns: tuple[str, ...], name: str
) -> tuple[tuple[str, ...], NDArray[Any], dict[str, tuple[str, ...]]]:
    """Items in order of their names, the item of each row, and the parts of keys that stand in several columns."""
    if not columns:
        return (name,), np.zeros(len(frame), dtype=np.int32), {}
    texts, codes = different_keys(frame, columns)
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


def different_keys(frame: pd.DataFrame, columns: tuple[str, ...]) -> tuple[NDArray[Any], NDArray[Any]]:
    """The different keys that stand in some columns, in no order, and which of them each row has."""
    keys = frame[columns[0]]
    for column in columns[1:]:
        keys = keys.astype(str) + KEY_MARK + frame[column].astype(str)
    return different_texts(keys)


def holds_numbers(column: "pd.Series[Any]") -> bool:
    """Whether a column is mostly numbers: a single slip is then an error to be named, not a reason to drop it."""
    if pd.api.types.is_numeric_dtype(column):
        return True
    filled = column.dropna().astype(str).str.strip()
    filled = filled[filled != ""]
    number = r"[+-]?[\d\s.,']*\d[\d\s.,']*(?:[eE][+-]?\d+)?"
    return bool(filled.str.fullmatch(number).mean() > 0.5) if len(filled) else False


def require(frame: pd.DataFrame, columns: Sequence[str], role: str, source: str) -> None:
    """Refuse a column that is not there, or there twice."""
    for column in columns:
        if column not in frame.columns:
            raise ColumnMissing(source, column, role, tuple(map(str, frame.columns)))
        if frame.columns.has_duplicates and (frame.columns == column).sum() > 1:
            raise column_twice(source, column)


def column_twice(source: str, column: str) -> FileUnreadable:
    """That two columns have the same name."""
    return FileUnreadable(source, f"column {column!r} stands there twice", "Give each column its own name.")
