"""The dates of a table: one column or several, texts or stamps, local or zoned."""

from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.arrays import BoolArray
from veridex.core.periods.cadence import MONTHS, Cadence
from veridex.core.periods.spellings import EXAMPLES, Fiscal, days_told, is_ambiguous, precision_of, read_period_texts
from veridex.core.tables.numbers_in_text import refuse_cells
from veridex.core.tables.texts import different_texts
from veridex.core.tables.zones import checked_zone, local_midnights, on_one_clock, split_zones
from veridex.errors import DatesAmbiguous, ParameterError

__all__ = ["DateEvidence", "DateWords", "Dates", "FoundDates", "read_dates"]

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


@dataclass(slots=True)
class DateEvidence:
    """What all dates of a column together tell of each; heard at once, or batch by batch.

    Attributes
    ----------
    words : DateWords
    cadence : Cadence or None
        As stated.
    precision : set of str
        What the spellings speak of.
    days_first, months_first : bool
        Whether dates of numbers were seen in which only the first part, or only the second, can be the day.
    zoned, local : bool
        Whether stamps with a time zone were seen, and stamps without one.
    midnights : bool
        Whether all stamps with a time zone are at midnight of the stated one.
    """

    words: DateWords
    cadence: Cadence | None
    precision: set[str] = field(default_factory=set)
    days_first: bool = False
    months_first: bool = False
    zoned: bool = False
    local: bool = False
    midnights: bool = True

    @property
    def counted(self) -> bool:
        """Whether the periods are numbers."""
        return self.cadence is not None and self.cadence.counted

    @property
    def day_first(self) -> bool | None:
        """How dates of numbers are read; None where nothing tells, or they contradict each other."""
        if self.words.day_first is not None:
            return self.words.day_first
        return self.days_first if self.days_first != self.months_first else None

    def hear(self, frame: pd.DataFrame, columns: tuple[str, ...]) -> None:
        """Take in some rows."""
        column = _column(frame, columns, self.cadence)
        if _holds_stamps(column) and not self.counted:
            self._hear_stamps(_different_stamps(column)[0], _is_zoned(column))
        else:
            self.hear_texts(different_texts(column)[0])

    def hear_texts(self, texts: NDArray[Any]) -> None:
        """Take in different texts."""
        if self.counted:
            return
        plain, ahead, zoned = split_zones(texts)
        self.precision |= precision_of(plain)
        days, months = days_told(plain)
        self.days_first |= days
        self.months_first |= months
        self.zoned |= bool(zoned.any())
        self.local |= not zoned.all()
        if zoned.any() and self._asks_for_midnights:
            stamps, _ = read_period_texts(plain[zoned], counted=False, day_first=self.day_first)
            self._see(stamps - ahead[zoned].astype("timedelta64[s]"))

    def _hear_stamps(self, stamps: NDArray[Any], zoned: bool) -> None:
        self.precision.add("day")
        self.zoned |= zoned
        self.local |= not zoned
        if zoned and self._asks_for_midnights:
            self._see(stamps)

    @property
    def _asks_for_midnights(self) -> bool:
        return self.cadence is None and self.words.tz is not None

    def _see(self, utc: NDArray[Any]) -> None:
        assert self.words.tz is not None
        self.midnights &= local_midnights(utc, self.words.tz)

    def on_days(self) -> bool:
        """Whether zoned stamps are brought to local days, or kept in UTC as periods are shorter than a day."""
        return self.midnights if self.cadence is None else not self.cadence.within_day

    def notes(self, column: str) -> tuple[str, ...]:
        """What was decided."""
        if self.counted:
            return ()
        notes: tuple[str, ...] = ()
        if self.zoned:
            days = f"Stamps with a time zone were put on the days of {self.words.tz}."
            utc = "Stamps with a time zone are kept in UTC, as periods are shorter than a day."
            notes += (days if self.on_days() else utc,)
        if self.day_first is not None and self.words.day_first is None:
            order = "day first" if self.day_first else "month first"
            notes += (f"Dates in {column!r} were read {order}: the column has a part above 12 there.",)
        if "serial day" in self.precision:
            notes += (f"Five-digit numbers in {column!r} were read as a spreadsheet's serial days.",)
        fiscal = self.words.fiscal
        if fiscal is not None and self.precision & {"year", "quarter"}:
            start = MONTHS[fiscal.first_month - 1].title()
            named = "end" if fiscal.named_by_end else "begin"
            notes += (f"Years in {column!r} begin in {start}, called by the calendar year in which they {named}.",)
        return notes

    def on_one_clock(self, utc: NDArray[Any], column: str) -> NDArray[Any]:
        """Bring zoned stamps to the clock that their cadence lives by.

        Raises
        ------
        ParameterError
            If no time zone was stated, or only some have one.
        """
        if self.local:
            problem = f"column {column!r} has stamps with a time zone and stamps without one"
            raise ParameterError("tz", repr(self.words.tz), problem)
        if self.words.tz is None:
            problem = f"column {column!r} carries time zones; state whose days are meant, as in tz='Europe/London'"
            raise ParameterError("tz", "None", problem)
        return on_one_clock(utc, self.words.tz, on_days=self.on_days())


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
    evidence: DateEvidence | None = None,
) -> FoundDates:
    """Read the dates of a table, or of some rows of one, of which `evidence` has heard them all.

    Raises
    ------
    CellUnreadable, DatesAmbiguous, ParameterError
    """
    if evidence is None:
        evidence = DateEvidence(words, cadence)
        evidence.hear(frame, columns)
    column = _column(frame, columns, cadence)
    name = str(column.name)
    if _holds_stamps(column) and not evidence.counted:
        stamps, where = _different_stamps(column)
        readable = ~np.isnat(stamps)
        if _is_zoned(column):
            stamps = evidence.on_one_clock(stamps, name)
    else:
        texts, where = different_texts(column)
        stamps, readable = _read_texts(texts, where, column, evidence, source, first_row)
    if not readable.all():
        wanted = (
            ("whole number", "Write whole numbers.") if evidence.counted else ("date", f"Write dates as {EXAMPLES}.")
        )
        bad = np.flatnonzero(~readable[where])
        if not evidence.counted and words.fiscal is None and str(column.iloc[int(bad[0])]).lower().find("fy") >= 0:
            wanted = ("date", "State the first month of the fiscal year, as in fiscal_start='april'.")
        refuse_cells(column, bad, *wanted, source, first_row)
    return FoundDates(stamps, where, evidence.precision, evidence.notes(name))


def _column(frame: pd.DataFrame, columns: tuple[str, ...], cadence: Cadence | None) -> "pd.Series[Any]":
    return frame[columns[0]] if len(columns) == 1 else _joined(frame, columns, cadence)


def _holds_stamps(column: "pd.Series[Any]") -> bool:
    return bool(pd.api.types.is_datetime64_any_dtype(column))


def _is_zoned(column: "pd.Series[Any]") -> bool:
    return isinstance(column.dtype, pd.DatetimeTZDtype)


def _different_stamps(column: "pd.Series[Any]") -> tuple[NDArray[Any], NDArray[Any]]:
    """The different stamps of a column without texts, in UTC where it is zoned, and which of them each row has."""
    plain = column.dt.tz_convert("UTC").dt.tz_localize(None) if _is_zoned(column) else column
    where, different = pd.factorize(plain.to_numpy().astype("datetime64[s]"), use_na_sentinel=False)
    stamps: NDArray[Any] = np.asarray(different).astype("datetime64[s]")
    return stamps, where.astype(np.int32)


def _read_texts(
    texts: NDArray[Any],
    where: NDArray[Any],
    column: "pd.Series[Any]",
    evidence: DateEvidence,
    source: str,
    first_row: int,
) -> tuple[NDArray[Any], BoolArray]:
    """Stamps of different texts, and which are readable."""
    if evidence.counted:
        return read_period_texts(texts, counted=True)
    plain, ahead, _ = split_zones(texts)
    day_first = evidence.day_first
    stamps, readable = read_period_texts(plain, counted=False, day_first=day_first, fiscal=evidence.words.fiscal)
    if day_first is None and not readable.all():
        unclear = np.array([not known and is_ambiguous(text) for text, known in zip(plain, readable, strict=True)])
        if unclear.any():
            row = int(np.flatnonzero(unclear[where])[0])
            raise DatesAmbiguous(source, str(column.name), int(column.index[row]) + first_row, str(column.iloc[row]))
    if evidence.zoned:
        stamps = evidence.on_one_clock(stamps - ahead.astype("timedelta64[s]"), str(column.name))
    return stamps, readable


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
