"""Tables of texts, dates and numbers, read cell by cell and assembled into a history's columns."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.history.assemble import Absent, Assembled, Combine, Unfinished, assemble
from veridex.core.history.cadence import Cadence
from veridex.core.history.inference import infer_cadence
from veridex.core.history.numbers_in_text import read_quantities, refuse_cells
from veridex.core.history.spellings import EXAMPLES, is_ambiguous, precision_of, read_period_texts
from veridex.errors import ColumnMissing, DatesAmbiguous, HistoryTooShort, ParameterError

__all__ = ["KEY_MARK", "Dates", "LayoutName", "TableLayout", "assemble_table"]

LayoutName = Literal["long", "wide"]
Dates = Literal["day-first", "month-first"]

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
    decimal: str | None = None
    combine: Combine = "sum"
    absent: Absent | None = None
    unfinished: Unfinished = "drop"

    def __post_init__(self) -> None:
        for key, allowed in (
            ("layout", ("long", "wide")),
            ("dates", (None, "day-first", "month-first")),
            ("combine", ("sum", "mean", "last", "count", "max")),
            ("absent", (None, "zero", "unknown")),
            ("unfinished", ("drop", "keep")),
        ):
            if getattr(self, key) not in allowed:
                words = ", ".join(repr(word) for word in allowed if word is not None)
                raise ParameterError(key, repr(getattr(self, key)), f"it is one of {words}")
        if self.items is not None and self.layout != "wide":
            raise ParameterError("items", repr(self.items), "columns are chosen in the wide layout; add layout='wide'")


def columns_of(given: str | Sequence[str] | None) -> tuple[str, ...]:
    """One column name, several, or none."""
    if given is None:
        return ()
    return (given,) if isinstance(given, str) else tuple(given)


@dataclass(frozen=True, slots=True, eq=False)
class _Rows:
    """A table's rows in one form, whatever its layout."""

    codes: NDArray[np.int64]
    items: tuple[str, ...]
    stamps: NDArray[Any]
    demand: NDArray[np.float64]
    precision: set[str]
    notes: tuple[str, ...]
    keys: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


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
    if frame.empty:
        raise HistoryTooShort(source, 0, 1, "a history", "Give it at least one row below the column names.")
    reader = _wide_rows if layout.layout == "wide" else _long_rows
    rows = reader(frame, layout, cadence, source, first_row)
    notes = rows.notes
    if cadence is None:
        cadence, evidence = infer_cadence(rows.stamps, rows.codes, rows.items, rows.precision)
        notes += (evidence,)
    parts = assemble(
        rows.codes, rows.items, rows.stamps, rows.demand, cadence, layout.combine, layout.absent, layout.unfinished
    )
    key_columns = layout.item if rows.keys else ()
    return replace(parts, notes=notes + parts.notes, key_columns=key_columns, keys=rows.keys), cadence


def _long_rows(frame: pd.DataFrame, layout: TableLayout, cadence: Cadence | None, source: str, first_row: int) -> _Rows:
    """A row per item and period, or order lines."""
    for columns, role in ((layout.item, "item"), (layout.period, "period"), ((layout.demand,), "demand")):
        if role == "demand" and layout.combine == "count" and layout.demand not in frame.columns:
            continue  # rows are counted; there may be nothing to add up
        _require(frame, columns, role, source)
    stamps, precision, notes = _read_stamps(frame, layout, cadence, source, first_row)
    if layout.combine == "count" and layout.demand not in frame.columns:
        demand = np.ones(len(frame))
    else:
        demand = read_quantities(frame[layout.demand], source, first_row, layout.decimal)
    if not layout.item:
        return _Rows(np.zeros(len(frame), dtype=np.int64), (layout.name,), stamps, demand, precision, notes)
    keys = frame[layout.item[0]]
    for column in layout.item[1:]:
        keys = keys.astype(str) + KEY_MARK + frame[column].astype(str)
    texts, codes = _different_texts(keys)
    order = np.argsort(texts, kind="stable")
    names = tuple(texts[order].tolist())
    codes = np.argsort(order).astype(np.int64)[codes]
    parts: dict[str, tuple[str, ...]] = {}
    if len(layout.item) > 1:
        _, first = np.unique(codes, return_index=True)
        parts = {names[codes[row]]: tuple(str(frame[column].iloc[row]) for column in layout.item) for row in first}
    return _Rows(codes.astype(np.int64), names, stamps, demand, precision, notes, parts)


def _wide_rows(frame: pd.DataFrame, layout: TableLayout, cadence: Cadence | None, source: str, first_row: int) -> _Rows:
    """A row per period and a column per item: the chosen columns, or all that hold numbers."""
    _require(frame, layout.period, "period", source)
    stamps, precision, notes = _read_stamps(frame, layout, cadence, source, first_row)
    left_out = []
    if layout.items is not None:
        _require(frame, layout.items, "item", source)
        columns = list(layout.items)
    else:
        candidates = [str(column) for column in frame.columns if column not in layout.period]
        columns = [column for column in candidates if _holds_numbers(frame[column])]
        left_out = [column for column in candidates if column not in columns]
    if not columns:
        raise ColumnMissing(source, "numbers", "item", tuple(map(str, frame.columns)))
    if left_out:
        notes += (f"Left out the columns {', '.join(left_out)}: they hold no numbers.",)
    demand = [read_quantities(frame[column], source, first_row, layout.decimal) for column in columns]
    codes = np.repeat(np.arange(len(columns), dtype=np.int64), len(frame))
    return _Rows(codes, tuple(columns), np.tile(stamps, len(columns)), np.concatenate(demand), precision, notes)


def _holds_numbers(column: "pd.Series[Any]") -> bool:
    """Whether a column is mostly numbers: a single slip is then an error to be named, not a reason to drop it."""
    if pd.api.types.is_numeric_dtype(column):
        return True
    filled = column.dropna().astype(str).str.strip()
    filled = filled[filled != ""]
    return (
        bool(filled.str.fullmatch(r"[+-]?[\d\s.,']*\d[\d\s.,']*(?:[eE][+-]?\d+)?").mean() > 0.5)
        if len(filled)
        else False
    )


def _require(frame: pd.DataFrame, columns: Sequence[str], role: str, source: str) -> None:
    for column in columns:
        if column not in frame.columns:
            raise ColumnMissing(source, column, role, tuple(map(str, frame.columns)))


def _read_stamps(
    frame: pd.DataFrame, layout: TableLayout, cadence: Cadence | None, source: str, first_row: int
) -> tuple[NDArray[Any], set[str], tuple[str, ...]]:
    """Stamps of all rows, what their spellings speak of, and what was decided."""
    counted = cadence is not None and cadence.counted
    column = frame[layout.period[0]] if len(layout.period) == 1 else _joined(frame, layout.period, cadence)
    if isinstance(column.dtype, pd.DatetimeTZDtype):
        raise ParameterError("period", repr(column.name), "its stamps carry a time zone; pass local stamps without one")
    if pd.api.types.is_datetime64_any_dtype(column) and not counted:
        stamps: NDArray[Any] = column.to_numpy().astype("datetime64[s]")
        readable, precision = ~np.isnat(stamps), {"day"}
        notes: tuple[str, ...] = ()
    else:
        stamps, readable, precision, notes = _read_texts(column, layout, counted, source, first_row)
    if not readable.all():
        wanted = ("whole number", "Write whole numbers.") if counted else ("date", f"Write dates as {EXAMPLES}.")
        refuse_cells(column, np.flatnonzero(~readable), *wanted, source, first_row)
    return stamps, precision, notes


def _read_texts(
    column: "pd.Series[Any]", layout: TableLayout, counted: bool, source: str, first_row: int
) -> tuple[NDArray[Any], NDArray[np.bool_], set[str], tuple[str, ...]]:
    texts, where = _different_texts(column)
    stated = None if layout.dates is None else layout.dates == "day-first"
    stamps, readable, day_first = read_period_texts(texts, counted=counted, day_first=stated)
    if counted:
        return stamps[where], readable[where], set(), ()
    if day_first is None and not readable.all():
        unclear = np.array([not known and is_ambiguous(text) for text, known in zip(texts, readable, strict=True)])
        if unclear.any():
            row = int(np.flatnonzero(unclear[where])[0])
            raise DatesAmbiguous(source, str(column.name), row + first_row, str(column.iloc[row]))
    precision = precision_of(texts)
    notes: tuple[str, ...] = ()
    if day_first is not None and stated is None:
        order = "day first" if day_first else "month first"
        notes += (f"Dates in {column.name!r} were read {order}: the column has a part above 12 there.",)
    if "serial day" in precision:
        notes += (f"Five-digit numbers in {column.name!r} were read as a spreadsheet's serial days.",)
    return stamps[where], readable[where], precision, notes


def _different_texts(column: "pd.Series[Any]") -> tuple[NDArray[Any], NDArray[np.int64]]:
    """The different texts of a column, and where each stands; a column of categories has them at hand."""
    if isinstance(column.dtype, pd.CategoricalDtype) and not column.isna().any():
        texts, codes = column.cat.categories.astype(str), column.cat.codes
    else:
        found, texts = pd.factorize(column.astype(object).astype(str))
        codes = pd.Series(found)
    return np.array(texts, dtype=object), np.array(codes, dtype=np.int64)


def _joined(frame: pd.DataFrame, columns: tuple[str, ...], cadence: Cadence | None) -> "pd.Series[Any]":
    """Year and month (or quarter, or week), and perhaps day, in columns of their own."""
    mark = {"quarterly": "-Q", "weekly": "-W"}.get(cadence.name if cadence else "", "-")
    if cadence is None and len(columns) == 2 and "quarter" in columns[1].lower():
        mark = "-Q"
    parts = [frame[column].astype(str).str.strip().str.removesuffix(".0") for column in columns]
    joined = parts[0] + mark + parts[1]
    for part in parts[2:]:
        joined = joined + "-" + part
    return joined.rename(" and ".join(columns))
