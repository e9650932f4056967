"""Reading dates as they are spelled in files."""

import re
from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["read_period_texts"]

ISO = re.compile(r"\d{4}(-\d{2}(-\d{2}([T ]\d{2}:\d{2}(:\d{2}(\.\d+)?)?)?)?)?")
QUARTER = re.compile(r"(\d{4})[- ]?[Qq]([1-4])")
WEEK = re.compile(r"(\d{4})-?[Ww](\d{2})")
EARLIEST, LATEST = np.datetime64("1600-01-01"), np.datetime64("2600-01-01")


def read_period_texts(texts: NDArray[Any], *, counted: bool) -> tuple[NDArray[Any], NDArray[np.bool_]]:
    """Turn date texts into stamps.

    Read are ISO years, months, days and times (``2024``, ``2024-03``, ``2024-03-01``, ``2024-03-01T10:00``),
    quarters (``2024-Q1``, ``2024Q1``) and ISO weeks (``2024-W07``); whole numbers where periods are counted.

    Parameters
    ----------
    texts : ndarray of str, shape (n,)
        Every spelling is read once, however often it stands there.
    counted : bool
        Whether the periods are whole numbers instead of dates.

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
    stamps = np.array([_stamp(text.strip()) for text in spellings], dtype="datetime64[s]")
    outside = (stamps < EARLIEST) | (stamps > LATEST)
    stamps[outside] = np.datetime64("NaT")
    return stamps[where], ~np.isnat(stamps)[where]


def _whole(text: str) -> int | None:
    try:
        number = int(text)
    except ValueError:
        return None
    return number if abs(number) < 2**53 else None


def _stamp(text: str) -> np.datetime64:
    if quarter := QUARTER.fullmatch(text):
        return np.datetime64(f"{quarter[1]}-{3 * int(quarter[2]) - 2:02d}", "s")
    if week := WEEK.fullmatch(text):
        first = np.datetime64(f"{week[1]}-01-04", "D")  # the first ISO week holds 4 January
        days = int(first.astype(np.int64))
        monday = days - (days + 3) % 7 + 7 * (int(week[2]) - 1)
        return np.datetime64(86400 * monday, "s")
    if not ISO.fullmatch(text):  # NumPy alone would read "now" and "today" as dates, and drop time zones
        return np.datetime64("NaT", "s")
    try:
        return np.datetime64(text.replace(" ", "T", 1), "s")
    except ValueError:
        return np.datetime64("NaT", "s")
