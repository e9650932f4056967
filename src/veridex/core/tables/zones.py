"""Stamps with a time zone: days and longer periods are local, hours and minutes UTC."""

import re
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.arrays import BoolArray, IntArray
from veridex.core.periods.cadence import Cadence
from veridex.errors import ParameterError

__all__ = ["checked_zone", "on_one_clock", "split_zones"]

ZONED = re.compile(r"(.*\d{1,2}:\d{2}(?::\d{2}(?:\.\d+)?)?) ?(?:(Z|UTC)|([+-])(\d{2}):?(\d{2}))")
DAY = 86_400


def checked_zone(tz: str | None) -> str | None:
    """Raise `ParameterError` if a time zone is unknown."""
    if tz is not None:
        try:
            pd.Timestamp("2024-01-01").tz_localize(tz)
        except (KeyError, ValueError, TypeError, OSError):
            raise ParameterError("tz", repr(tz), "it is a place such as 'Europe/London', or 'UTC'") from None
    return tz


def split_zones(texts: NDArray[Any]) -> tuple[NDArray[Any], IntArray, BoolArray]:
    """Texts without their zones, the seconds that each zone is ahead of UTC, and which had one."""
    found = [ZONED.fullmatch(str(text).strip()) for text in texts]
    plain = np.array([match[1] if match else text for match, text in zip(found, texts, strict=True)], dtype=object)
    ahead = [
        (1 if match[3] == "+" else -1) * (3600 * int(match[4]) + 60 * int(match[5])) if match and match[3] else 0
        for match in found
    ]
    return plain, np.array(ahead, dtype=np.int64), np.array([match is not None for match in found], dtype=bool)


def on_one_clock(utc: NDArray[Any], tz: str | None, cadence: Cadence | None, column: str) -> tuple[NDArray[Any], str]:
    """Bring zoned stamps to the clock that their cadence lives by, and say which.

    Without a cadence, stamps that are all at local midnight are days.

    Raises
    ------
    ParameterError
        If no time zone was stated.
    """
    if tz is None:
        problem = f"column {column!r} carries time zones; state whose days are meant, as in tz='Europe/London'"
        raise ParameterError("tz", "None", problem)
    index = pd.DatetimeIndex(utc.astype("datetime64[s]")).tz_localize("UTC").tz_convert(tz).tz_localize(None)
    local: NDArray[Any] = index.to_numpy().astype("datetime64[s]")
    at_midnight = not (local[~np.isnat(local)].astype(np.int64) % DAY).any()
    if at_midnight if cadence is None else not cadence.within_day:
        return local, f"Stamps with a time zone were put on the days of {tz}."
    return utc.astype("datetime64[s]"), "Stamps with a time zone are kept in UTC, as periods are shorter than a day."
