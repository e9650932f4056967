"""Reading dates as they are spelled in files.

Most spellings say on their own what they mean. Days and months in numbers (``03/04/2024``) do not: the column
as a whole decides, and where it cannot, nothing is guessed.
"""

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import BoolArray

__all__ = ["EXAMPLES", "Fiscal", "days_told", "is_ambiguous", "precision_of", "read_period", "read_period_texts"]

EXAMPLES = "2026-03-01, 2026-03, 2026-Q1, 2026-W09, 03/2026 or Mar 2026"

EARLIEST, LATEST = np.datetime64("1600-01-01"), np.datetime64("2600-01-01")
SERIAL_DAYS = (10_000, 80_000)
"""Five-digit numbers are days since 1899-12-30, as spreadsheets count them: 1927 to 2119."""

TURN = 30
"""Years of two digits from here on are of the last century, as spreadsheets have it: Jan-08 is 2008, Jan-98 1998."""

MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
MONTH_NAME = r"(?P<name>[A-Za-z]{3,9})\.?"
CLOCK = r"(?:[T ](?P<clock>\d{1,2}:\d{2}(?::\d{2}(?:\.\d+)?)?))?"


@dataclass(frozen=True, slots=True)
class Fiscal:
    """Years that do not begin in January.

    Attributes
    ----------
    first_month : int
        1 to 12.
    named_by_end : bool
        Whether a year that begins in April 2023 is called 2024 (else 2023).
    """

    first_month: int
    named_by_end: bool = True

    def start(self, year: int, quarter: int) -> tuple[int, int]:
        """Calendar year and month in which a quarter of a fiscal year begins."""
        earlier = self.named_by_end and self.first_month > 1
        months = 12 * (year - earlier) + self.first_month - 1 + 3 * (quarter - 1)
        return months // 12, months % 12 + 1


def _pattern(text: str) -> Callable[[str], re.Match[str] | None]:
    return re.compile(text).fullmatch


# From the commonest on; each with the precision it speaks of.
SPELLINGS: tuple[tuple[Callable[[str], re.Match[str] | None], str], ...] = (
    (_pattern(rf"(?P<y>\d{{4}})[-/.](?P<m>\d{{1,2}})[-/.](?P<d>\d{{1,2}}){CLOCK}"), "day"),
    (_pattern(r"(?P<y>\d{4})(?P<m>\d{2})(?P<d>\d{2})"), "day"),
    (_pattern(rf"(?P<d>\d{{1,2}})\.(?P<m>\d{{1,2}})\.(?P<y>\d{{4}}){CLOCK}"), "day"),
    (_pattern(rf"(?P<one>\d{{1,2}})[-/](?P<two>\d{{1,2}})[-/](?P<y>\d{{4}}){CLOCK}"), "day"),
    (_pattern(rf"(?P<d>\d{{1,2}})[- ]{MONTH_NAME}[-, ]+(?P<y>\d{{4}})"), "day"),
    (_pattern(rf"{MONTH_NAME} (?P<d>\d{{1,2}}),? (?P<y>\d{{4}})"), "day"),
    (_pattern(r"[Ff][Yy] ?(?P<fy>\d{4}|\d{2})[-/. ]?[Qq](?P<q>[1-4])"), "quarter"),
    (_pattern(r"[Qq](?P<q>[1-4])[-/. ]?[Ff][Yy] ?(?P<fy>\d{4}|\d{2})"), "quarter"),
    (_pattern(r"[Ff][Yy] ?(?P<fy>\d{4}|\d{2})"), "year"),
    (_pattern(r"(?P<y>\d{4})[-/. ]?[Qq](?P<q>[1-4])"), "quarter"),
    (_pattern(r"[Qq](?P<q>[1-4])[-/. ]?(?P<y>\d{4})"), "quarter"),
    (_pattern(r"(?P<y>\d{4})[-/. ]?[Ww](?P<w>\d{1,2})"), "week"),
    (_pattern(r"(?P<y>\d{4})[-/. ][Mm]?(?P<m>\d{1,2})"), "month"),
    (_pattern(r"(?P<y>\d{4})[Mm](?P<m>\d{1,2})"), "month"),
    (_pattern(r"(?P<m>\d{1,2})[-/. ](?P<y>\d{4})"), "month"),
    (_pattern(rf"{MONTH_NAME}[-/. ](?P<y>\d{{4}})"), "month"),
    (_pattern(rf"(?P<y>\d{{4}})[-/. ]{MONTH_NAME}"), "month"),
    (_pattern(rf"{MONTH_NAME}[-/. ']{{1,2}}(?P<yy>\d{{2}})"), "month"),
    (_pattern(r"(?P<y>\d{4})(?:\.0)?"), "year"),
    (_pattern(r"(?P<serial>\d{5})(?:\.0)?"), "serial day"),
)


def read_period_texts(
    texts: NDArray[Any], *, counted: bool, day_first: bool | None = None, fiscal: Fiscal | None = None
) -> tuple[NDArray[Any], BoolArray]:
    """Turn date texts into stamps; every spelling is read once, however often it stands there.

    Parameters
    ----------
    texts : ndarray of str, shape (n,)
    counted : bool
        Whether the periods are whole numbers instead of dates.
    day_first : bool, optional
        How to read ``03/04/2024``, which is unreadable without it; `days_told` says what a column tells.
    fiscal : Fiscal, optional
        What years and quarters mean where they are not the calendar's; ``FY24`` cannot be read without it.

    Returns
    -------
    stamps : ndarray, shape (n,)
        `datetime64[s]`, NaT where unreadable; int64, 0 where unreadable, when counted.
    readable : ndarray of bool, shape (n,)
    """
    spellings, where = np.unique(texts.astype(str), return_inverse=True)
    if counted:
        whole = [_whole(text) for text in spellings]
        numbers = np.array([0 if number is None else number for number in whole], dtype=np.int64)
        readable = np.array([number is not None for number in whole])
        return numbers[where], readable[where]
    found = [_match(text.strip())[0] for text in spellings]
    stamps = np.array([_stamp(match, day_first, fiscal) for match in found], dtype="datetime64[s]")
    stamps[(stamps < EARLIEST) | (stamps > LATEST)] = np.datetime64("NaT")
    return stamps[where], ~np.isnat(stamps)[where]


def read_period(text: str, *, counted: bool = False) -> Any:
    """The stamp (or number, when counted) that one text alone tells; None where it cannot be read."""
    texts = np.array([text])
    day, month = days_told(texts)
    stamps, readable = read_period_texts(texts, counted=counted, day_first=day if day != month else None)
    return stamps[0] if readable[0] else None


def precision_of(texts: NDArray[Any]) -> set[str]:
    """What the spellings of a column speak of: years, quarters, months, weeks, days, serial days."""
    return {precision for text in np.unique(texts.astype(str)) for _, precision in [_match(text.strip())] if precision}


def days_told(texts: NDArray[Any]) -> tuple[bool, bool]:
    """Whether dates of numbers show, by a part above 12, that the day stands first; and whether the month does."""
    matches = [match for text in texts for match, _ in [_match(str(text).strip())] if match is not None]
    pairs = [(int(match["one"]), int(match["two"])) for match in matches if "one" in match.groupdict()]
    return any(one > 12 for one, _ in pairs), any(two > 12 for _, two in pairs)


def is_ambiguous(text: str) -> bool:
    """Whether a text holds day and month in numbers that could stand either way."""
    match, _ = _match(text.strip())
    return match is not None and "one" in match.groupdict() and max(int(match["one"]), int(match["two"])) <= 12


def _match(text: str) -> tuple[re.Match[str] | None, str]:
    for matches, precision in SPELLINGS:
        if match := matches(text):
            return match, precision
    return None, ""


def _stamp(match: re.Match[str] | None, day_first: bool | None, fiscal: Fiscal | None) -> np.datetime64:
    nothing = np.datetime64("NaT", "s")
    if match is None:
        return nothing
    parts = match.groupdict()
    if "serial" in parts:
        days = int(parts["serial"])
        return np.datetime64("1899-12-30", "s") + 86400 * days if SERIAL_DAYS[0] <= days < SERIAL_DAYS[1] else nothing
    if "fy" in parts and fiscal is None:
        return nothing
    if "yy" in parts:
        year = int(parts["yy"]) + (2000 if int(parts["yy"]) < TURN else 1900)
    else:
        year = int(parts["y"]) if "y" in parts else int(parts["fy"]) + (2000 if len(parts["fy"]) == 2 else 0)
    if "w" in parts:
        return _week(year, int(parts["w"]))
    month, day = int(parts.get("m") or 1), int(parts.get("d") or 1)
    if fiscal is not None and set(parts) <= {"y", "fy", "q"}:
        year, month = fiscal.start(year, int(parts.get("q") or 1))
    elif "q" in parts:
        month = 3 * int(parts["q"]) - 2
    if "name" in parts:
        short = parts["name"][:3].lower()
        month = MONTHS.index(short) + 1 if short in MONTHS else 0
    if "one" in parts:
        if day_first is None:
            return nothing
        day, month = (int(parts["one"]), int(parts["two"]))[:: 1 if day_first else -1]
    clock = parts.get("clock") or "00:00"
    try:
        return np.datetime64(f"{year:04d}-{month:02d}-{day:02d}T{'0' if clock[1] == ':' else ''}{clock}", "s")
    except ValueError:
        return nothing


def _week(year: int, week: int) -> np.datetime64:
    """Monday of an ISO week; the first week of a year holds 4 January."""
    days = int(np.datetime64(f"{year:04d}-01-04", "D").astype(np.int64))
    monday = days - (days + 3) % 7 + 7 * (week - 1)
    thursday = np.datetime64(monday + 3, "D")
    in_year = str(thursday)[:4] == f"{year:04d}"
    return np.datetime64(86400 * monday, "s") if week >= 1 and in_year else np.datetime64("NaT", "s")


def _whole(text: str) -> int | None:
    try:
        number = int(text)
    except ValueError:
        return None
    return number if abs(number) < 2**53 else None
