"""Reading demand histories."""

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal, NamedTuple

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.measure import Adds
from veridex.core.periods.cadence import Cadence
from veridex.core.tables.dates import Dates
from veridex.core.tables.grouping import Combine
from veridex.core.tables.layout import Absent, LayoutName, TableLayout, Unfinished, columns_of
from veridex.core.tables.numbers_in_text import UNKNOWN_WORDS, read_quantities
from veridex.errors import FileUnreadable, ParameterError
from veridex.exchange.larger import history_of
from veridex.exchange.missing import refuse_missing
from veridex.exchange.sources import is_streamed, open_stream, read_source
from veridex.exchange.texts import decoded, read_bytes
from veridex.exchange.unfit import MARK, unescaped

__all__ = ["read_history"]


def read_history(
    source: str | Path,
    *,
    item: str | Sequence[str] | None = None,
    period: str | Sequence[str] | None = None,
    demand: str | None = None,
    cadence: str | Cadence | None = None,
    start: object = None,
    name: str | None = None,
    seasons: float | Sequence[float] | None = None,
    unit: str | None = None,
    adds: Adds | None = None,
    floor: float | str | None = None,
    whole: bool | None = None,
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
    in_stock: str | None = None,
    combine: Combine = "sum",
    absent: Absent | None = None,
    unfinished: Unfinished = "drop",
    table: str | None = None,
    query: str | None = None,
    sheet: str | None = None,
    delimiter: str | None = None,
    encoding: str | None = None,
) -> History:
    """Read a demand history: order lines, a row per item and period, a column per item, or bare numbers.

    Parameters
    ----------
    source : str or Path
        A CSV file or the like (``-`` for standard input), a Parquet file or a folder of parts, an Excel
        workbook, or the address of a database (``sqlite:///shop.db``) with `table` or `query`.
    item, period, demand, cadence, seasons, unit, adds, floor, whole, layout, items, dates, tz, fiscal_start, \
fiscal_named, decimal, status, invalid, stock_out, in_stock, combine, absent, unfinished
        As in `History.from_frame`.
    start : optional
        First period of a bare column of numbers without dates; needs `cadence`.
    name : str, optional
        What a single series is called; by default the file's name.
    table, query : str, optional
        Which table, or what to ask, of a database.
    sheet : str, optional
        Which sheet of a workbook; by default the first.
    delimiter, encoding : str, optional
        Of a CSV file; found out if not stated, and said if unusual. A delimiter is one ASCII character, or its name:
        ``"comma"``, ``"semicolon"``, ``"tab"``, ``"bar"``.

    Returns
    -------
    History
        Its `notes` say what was found out, added up, filled and left out.

    Raises
    ------
    FileUnreadable, ColumnMissing, CellUnreadable, DatesAmbiguous, DecimalAmbiguous, CadenceUnknown,
    CadenceUnclear, ParameterError, HistoryTooShort
        Each names the file, the row or column, the value seen, and the remedy.
    """
    if not isinstance(source, (str, Path)):
        remedy = "name a file or an address; of a table in memory History.from_frame(table) makes a history"
        raise ParameterError("source", type(source).__name__, remedy)
    refuse_missing(source)
    all_of_it = table is None and query is None and sheet is None
    if all_of_it and (own := _own(source, item, period, demand, cadence, layout)) is not None:
        return own
    counted = cadence is not None and Cadence.named(cadence).counted
    stem = "demand" if str(source) == "-" or "://" in str(source) else Path(source).stem
    if start is not None or (counted and period is None):
        if period is not None or item is not None:
            raise ParameterError("start", repr(start), "it announces bare numbers, which have no item or period column")
        if cadence is None:
            raise ParameterError("cadence", "None", "bare numbers have no dates to infer it from; state it")
        bare = _bare(source, decimal, encoding)
        entered = name or bare.title or stem
        (series,) = History.from_numbers(
            bare.numbers,
            cadence=cadence,
            start=start,
            item=entered,
            seasons=seasons,
            unit=unit,
            adds=adds,
            floor=floor,
            whole=whole,
        )
        return History.of([series], notes=(*bare.notes, _counted(series)))
    where = TableLayout(
        item=columns_of(item),
        period=columns_of(period) or ("period",),
        demand=demand or "demand",
        layout=layout,
        items=None if items is None else tuple(items),
        name=name or stem,
        dates=dates,
        tz=tz,
        fiscal_start=fiscal_start,
        fiscal_named=fiscal_named,
        decimal=decimal,
        status=status,
        invalid=None if invalid is None else tuple(invalid),
        stock_out=stock_out,
        in_stock=in_stock,
        combine=combine,
        absent=absent,
        unfinished=unfinished,
    )
    keep = None if layout == "wide" else where.columns
    measured: dict[str, Any] = {"seasons": seasons, "unit": unit, "adds": adds, "floor": floor, "whole": whole}
    if is_streamed(source) and sheet is None and layout == "long":
        spacing = None if cadence is None else Cadence.named(cadence)
        with open_stream(source, keep, table, query) as stream:
            return _with_letters(history_of(stream, where, spacing, **measured))
    # Where the decimal mark is stated, numbers are read by it and not by the CSV reader.
    found = read_source(
        source,
        keep,
        () if decimal else where.measures,
        table=table,
        query=query,
        sheet=sheet,
        delimiter=delimiter,
        encoding=encoding,
        named=where.period if layout == "wide" else where.columns,
    )
    made = History.from_table(
        found.frame,
        where,
        cadence,
        source=found.label,
        first_row=found.first_row,
        notes=found.notes,
        **measured,
    )
    return _with_letters(made)


def _with_letters(history: History) -> History:
    """Items as they were called before a file of ours wrote out letters that not all places hold."""
    if not any(MARK in name for name in history.names):
        return history
    keys = {unescaped(name): tuple(map(unescaped, parts)) for name, parts in history.keys.items()}
    return replace(history, names=tuple(map(unescaped, history.names)), keys=keys)


def _own(source: object, item: object, period: object, demand: object, cadence: object, layout: str) -> History | None:
    """A history that was written by us, if it is asked for as it stands."""
    plain = item in (None, "item") and period in (None, "period") and demand in (None, "demand") and layout == "long"
    if not plain or not isinstance(source, (str, Path)) or str(source) == "-":
        return None
    from veridex.exchange.keeping import own_history  # few sources are, and it loads all that is kept

    found = own_history(source)
    return found if found is None or cadence is None or Cadence.named(cadence) == found.cadence else None  # type: ignore[arg-type]


class _Bare(NamedTuple):
    """Numbers without dates, what stood above them, and what was found out while reading."""

    numbers: FloatArray
    title: str
    notes: tuple[str, ...]


def _bare(source: str | Path, decimal: str | None, encoding: str | None) -> _Bare:
    """Read one number per line; a first line that is no number names the series."""
    label = str(source)
    text, notes = decoded(read_bytes(source), label, encoding)
    lines = text.splitlines()
    while lines and not lines[-1].strip():
        lines.pop()
    title, first_row = "", 1
    if lines and not _may_be_number(lines[0]):
        title, first_row = lines.pop(0).strip().strip('"'), 2
    if not lines:
        raise FileUnreadable(label, "the file holds no numbers", "Give it one number per line.")
    column = pd.Series(lines, name=title or "numbers", dtype=object)
    return _Bare(read_quantities(column, label, first_row, decimal), title, tuple(notes))


def _counted(series: ItemHistory) -> str:
    """How many numbers there were, and where they end."""
    last = series.cadence.text(series.start + len(series) - 1)
    unknown = int(np.isnan(series.values).sum())
    return f"{len(series)} numbers read, the last is {last}" + (f"; {unknown} are unknown." if unknown else ".")


def _may_be_number(text: str) -> bool:
    """Whether a line may be a number, however it is spelled."""
    try:
        float(text)
    except ValueError:
        return not any(letter.isalpha() for letter in text) or text.strip().lower() in UNKNOWN_WORDS
    return True
