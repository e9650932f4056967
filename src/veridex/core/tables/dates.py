"""The dates of a table: one column or several, texts or stamps, local or zoned."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.arrays import BoolArray
from veridex.core.periods.cadence import MONTHS, Cadence
from veridex.core.periods.spellings import EXAMPLES, Fiscal, is_ambiguous, precision_of, read_period_texts
from veridex.core.tables.numbers_in_text import refuse_cells
from veridex.core.tables.texts import different_texts
from veridex.core.tables.zones import checked_zone, on_one_clock, split_zones
from veridex.errors import DatesAmbiguous, ParameterError

__all__ = ["DateWords", "Dates", "FoundDates", "read_dates"]

Dates = Literal["day-first", "month-first"]


@dataclass(frozen=True, slots=True)
class DateWords:
    """What was said about dates: how numbers are read, whose clock counts, when the fiscal year begins."""

    day_first: bool | None
    tz: str | None
    fiscal: Fiscal | None

    @classmethod
    def of(cls, dates: Dates | None, tz: str | None, start: str | int | None, named: str) -> "DateWords":
        """Check them.

        Raises
        ------
        ParameterError
        """
        fiscal = None
        if start is not None:
            month = MONTHS.index(start.lower()) + 1 if isinstance(start, str) and start.lower() in MONTHS else start
            if not isinstance(month, int) or not 1 <= month <= 12:
                raise ParameterError("fiscal_start", repr(start), "it is a month, 'april' or 4")
            fiscal = Fiscal(month, named_by_end=named == "end")
        return cls(None if dates is None else dates == "day-first", checked_zone(tz), fiscal)


@dataclass(frozen=True, slots=True, eq=False)
class FoundDates:
    """The different stamps of a table, which of them each row has, what their spellings speak of, what was decided."""

    stamps: NDArray[Any]
    where: NDArray[Any]
    precision: set[str]
    notes: tuple[str, ...]


def read_dates(
    frame: pd.DataFrame,
    columns: tuple[str, ...],
    words: DateWords,
    cadence: Cadence | None,
    source: str,
    first_row: int,
) -> FoundDates:
    """Read the dates of a table.

    Raises
    ------
    CellUnreadable, DatesAmbiguous, ParameterError
    """
    counted = cadence is not None and cadence.counted
    column = frame[columns[0]] if len(columns) == 1 else _joined(frame, columns, cadence)
    notes: tuple[str, ...] = ()
    if pd.api.types.is_datetime64_any_dtype(column) and not counted:
        stamps, where, notes = _read_stamps(column, words, cadence)
        readable, precision = ~np.isnat(stamps), {"day"}
    else:
        texts, where = different_texts(column)
        stamps, readable, precision, notes = _read_texts(texts, where, column, words, cadence, source, first_row)
    if not readable.all():
        wanted = ("whole number", "Write whole numbers.") if counted else ("date", f"Write dates as {EXAMPLES}.")
        bad = np.flatnonzero(~readable[where])
        if not counted and words.fiscal is None and str(column.iloc[int(bad[0])]).lower().find("fy") >= 0:
            wanted = ("date", "State the first month of the fiscal year, as in fiscal_start='april'.")
        refuse_cells(column, bad, *wanted, source, first_row)
    return FoundDates(stamps, where, precision, notes)


def _read_stamps(
    column: "pd.Series[Any]", words: DateWords, cadence: Cadence | None
) -> tuple[NDArray[Any], NDArray[Any], tuple[str, ...]]:
    """Stamps that are none of text."""
    zoned = isinstance(column.dtype, pd.DatetimeTZDtype)
    plain = column.dt.tz_convert("UTC").dt.tz_localize(None) if zoned else column
    where, different = pd.factorize(plain.to_numpy().astype("datetime64[s]"), use_na_sentinel=False)
    stamps: NDArray[Any] = np.asarray(different).astype("datetime64[s]")
    notes: tuple[str, ...] = ()
    if zoned:
        stamps, note = on_one_clock(stamps, words.tz, cadence, str(column.name))
        notes = (note,)
    return stamps, where.astype(np.int32), notes


def _read_texts(
    texts: NDArray[Any],
    where: NDArray[Any],
    column: "pd.Series[Any]",
    words: DateWords,
    cadence: Cadence | None,
    source: str,
    first_row: int,
) -> tuple[NDArray[Any], BoolArray, set[str], tuple[str, ...]]:
    """Stamps of different texts, which are readable, what they speak of, and what was decided."""
    if cadence is not None and cadence.counted:
        stamps, readable, _ = read_period_texts(texts, counted=True)
        return stamps, readable, set(), ()
    plain, ahead, zoned = split_zones(texts)
    stamps, readable, day_first = read_period_texts(
        plain, counted=False, day_first=words.day_first, fiscal=words.fiscal
    )
    if day_first is None and not readable.all():
        unclear = np.array([not known and is_ambiguous(text) for text, known in zip(plain, readable, strict=True)])
        if unclear.any():
            row = int(np.flatnonzero(unclear[where])[0])
            raise DatesAmbiguous(source, str(column.name), int(column.index[row]) + first_row, str(column.iloc[row]))
    notes: tuple[str, ...] = ()
    if zoned.any():
        if not zoned.all():
            problem = f"column {str(column.name)!r} has stamps with a time zone and stamps without one"
            raise ParameterError("tz", repr(words.tz), problem)
        stamps, note = on_one_clock(stamps - ahead.astype("timedelta64[s]"), words.tz, cadence, str(column.name))
        notes += (note,)
    precision = precision_of(plain)
    if day_first is not None and words.day_first is None:
        order = "day first" if day_first else "month first"
        notes += (f"Dates in {column.name!r} were read {order}: the column has a part above 12 there.",)
    if "serial day" in precision:
        notes += (f"Five-digit numbers in {column.name!r} were read as a spreadsheet's serial days.",)
    if words.fiscal is not None and precision & {"year", "quarter"}:
        start = MONTHS[words.fiscal.first_month - 1].title()
        named = "end" if words.fiscal.named_by_end else "begin"
        notes += (f"Years in {column.name!r} begin in {start}, called by the calendar year in which they {named}.",)
    return stamps, readable, precision, notes


def _joined(frame: pd.DataFrame, columns: tuple[str, ...], cadence: Cadence | None) -> "pd.Series[Any]":
    """Year and month (or quarter, or week), and perhaps day, in columns of their own."""
    kind = cadence.name.partition("-")[0] if cadence else ""
    mark = {"quarterly": "-Q", "weekly": "-W"}.get(kind, "-")
    if cadence is None and len(columns) == 2 and "quarter" in columns[1].lower():
        mark = "-Q"
    parts = [frame[column].astype(str).str.strip().str.removesuffix(".0") for column in columns]
    joined = parts[0] + mark + parts[1]
    for part in parts[2:]:
        joined = joined + "-" + part
    return joined.rename(" and ".join(columns))
