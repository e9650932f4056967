"""Long tables of texts, dates and numbers, read cell by cell and assembled into a history's columns."""

from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.history.assemble import Absent, Assembled, Unfinished, assemble
from veridex.core.history.cadence import Cadence
from veridex.core.history.spellings import read_period_texts
from veridex.errors import CellUnreadable, ColumnMissing, HistoryTooShort, ParameterError

__all__ = ["assemble_table", "read_quantities", "refuse_infinite"]

DATES = "Write dates as 2026-03-01, 2026-03, 2026-Q1 or 2026-W09."
UNKNOWN_IS_EMPTY = "Correct the cell, or leave it empty where demand is unknown."


def assemble_table(
    frame: pd.DataFrame,
    *,
    item: str | None,
    period: str,
    demand: str,
    cadence: Cadence,
    name: str,
    absent: Absent | None,
    unfinished: Unfinished,
    source: str,
    first_row: int,
) -> Assembled:
    """Read the named columns of a long table and add them up per item and period.

    Parameters
    ----------
    frame : DataFrame
        Cells may be texts, stamps or numbers.
    item, period, demand, cadence, name, absent, unfinished
        As in `History.from_frame`.
    source : str
        What errors call the table.
    first_row : int
        What errors call the frame's first row.

    Raises
    ------
    ColumnMissing, CellUnreadable, HistoryTooShort, ParameterError
    """
    _one_of("absent", absent, (None, "zero", "unknown"))
    _one_of("unfinished", unfinished, ("drop", "keep"))
    for column, role in ((item, "item"), (period, "period"), (demand, "demand")):
        if column is not None and column not in frame.columns:
            raise ColumnMissing(source, column, role, tuple(map(str, frame.columns)))
    if frame.empty:
        raise HistoryTooShort(source, 0, 1, "a history", "Give it at least one row below the column names.")
    stamps = _read_stamps(frame[period], cadence, source, first_row)
    quantities = read_quantities(frame[demand], source, first_row)
    if item is None:
        return assemble(np.zeros(len(frame), dtype=np.int64), (name,), stamps, quantities, cadence, absent, unfinished)
    codes, keys = pd.factorize(frame[item].astype(str), sort=True)
    return assemble(codes.astype(np.int64), tuple(map(str, keys)), stamps, quantities, cadence, absent, unfinished)


def read_quantities(column: "pd.Series[Any]", source: str, first_row: int) -> NDArray[np.float64]:
    """Numbers of a column; an empty cell is unknown demand (NaN).

    Raises
    ------
    CellUnreadable
        Naming the first cell that is no finite number, and how many there are.
    """
    empty = column.isna() | (column.astype(str).str.strip() == "")
    numbers = pd.to_numeric(column.where(~empty, None), errors="coerce").to_numpy(dtype=np.float64, na_value=np.nan)
    named_unknown = column.astype(str).str.strip().str.lower().isin(["nan", "na", "null"])
    bad = np.flatnonzero(np.isnan(numbers) & ~empty.to_numpy() & ~named_unknown.to_numpy())
    if bad.size:
        _refuse(column, bad, "number", UNKNOWN_IS_EMPTY, source, first_row)
    refuse_infinite(numbers, str(column.name), source, first_row)
    return numbers


def refuse_infinite(values: NDArray[np.float64], column: str, source: str, first_row: int) -> None:
    """Raise `CellUnreadable` if a value is infinite."""
    bad = np.flatnonzero(np.isinf(values))
    if bad.size:
        _refuse(pd.Series(values, name=column), bad, "finite number", UNKNOWN_IS_EMPTY, source, first_row)


def _read_stamps(column: "pd.Series[Any]", cadence: Cadence, source: str, first_row: int) -> NDArray[Any]:
    if isinstance(column.dtype, pd.DatetimeTZDtype):
        raise ParameterError("period", repr(column.name), "its stamps carry a time zone; pass local stamps without one")
    if pd.api.types.is_datetime64_any_dtype(column) and not cadence.counted:
        stamps: NDArray[Any] = column.to_numpy().astype("datetime64[s]")
        readable = ~np.isnat(stamps)
    else:
        stamps, readable = read_period_texts(column.astype(str).to_numpy(), counted=cadence.counted)
    if not readable.all():
        wanted, remedy = ("whole number", "Write whole numbers.") if cadence.counted else ("date", DATES)
        _refuse(column, np.flatnonzero(~readable), wanted, remedy, source, first_row)
    return stamps


def _refuse(
    column: "pd.Series[Any]", bad: NDArray[np.int64], wanted: str, remedy: str, source: str, first_row: int
) -> None:
    row = int(bad[0])
    raise CellUnreadable(
        source, str(column.name), row + first_row, str(column.iloc[row]), wanted, int(bad.size), remedy
    )


def _one_of(name: str, value: object, allowed: tuple[object, ...]) -> None:
    if value not in allowed:
        words = " or ".join(repr(word) for word in allowed if word is not None)
        raise ParameterError(name, repr(value), f"it is {words}")
