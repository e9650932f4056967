"""Wide tables: a row per period and a column per item."""

from collections.abc import Sequence

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.tables.cells import Cells, Table, holds_numbers, require
from veridex.core.tables.dates import read_dates
from veridex.core.tables.grouping import Rows
from veridex.core.tables.left_out import totals_among
from veridex.core.tables.numbers_in_text import read_quantities
from veridex.errors import ColumnMissing, ParameterError

__all__ = ["wide_table"]


def wide_table(frame: pd.DataFrame, cells: Cells) -> Table:
    """Read a row per period and a column per item: the chosen columns, or all that hold numbers.

    Raises
    ------
    ColumnMissing, ParameterError, DatesAmbiguous, DecimalAmbiguous, CellUnreadable
    """
    layout, source, first_row = cells.layout, cells.source, cells.first_row
    require(frame, layout.period, "period", source)
    if (stock := layout.stock_out or layout.in_stock) is not None:
        raise ParameterError("stock_out", repr(stock), "it marks rows of one item; use the long layout")
    found = read_dates(frame, layout.period, layout.date_words, cells.cadence, source, first_row)
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
    return Table(rows, tuple(columns), found.precision, notes)


def _plain_columns(frame: pd.DataFrame, columns: Sequence[str], decimal: str | None) -> dict[str, FloatArray]:
    """Columns of plainly written numbers, read all at once: a sheet may have a million of them."""
    if decimal is not None or not columns:
        return {}
    cells = frame[list(columns)].to_numpy(dtype=object)
    numbers = pd.to_numeric(pd.Series(cells.ravel()), errors="coerce").to_numpy(dtype=np.float64).reshape(cells.shape)
    empty = np.equal(cells, "").astype(bool) | pd.isna(cells)
    good = (np.isfinite(numbers) | empty).all(axis=0) & np.isfinite(numbers).any(axis=0)
    return {columns[i]: numbers[:, i] for i in np.flatnonzero(good).tolist()}
