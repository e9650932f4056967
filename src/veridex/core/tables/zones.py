"""Stamps with a time zone: days and longer periods are local, hours and minutes UTC."""

import re
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.arrays import BoolArray, IntArray
from veridex.errors import ParameterError

__all__ = ["checked_zone", "local_midnights", "on_one_clock", "split_zones"]

ZONED = re.compile(r"(.*\d{1,2}:\d{2}(?::\d{2}(?:\.\d+)?)?) ?(?:(Z|UTC)|([+-])(\d{2}):?(\d{2}))")
DAY = 86_400


def checked_zone(tz: str | None) -> str | None:
    """Raise `ParameterError` if a time zone is unknown."""
    if tz is not None:
        try:
            pd.Timestamp("2024-01-01").tz_localize(tz)
        except (LookupError, ValueError, TypeError, OSError):
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


def local_midnights(utc: NDArray[Any], tz: str) -> bool:
    """Whether all stamps are at midnight of a time zone."""
    local = _local(utc, tz)
    return not (local[~np.isnat(local)].astype(np.int64) % DAY).any()


def on_one_clock(utc: NDArray[Any], tz: str, *, on_days: bool) -> NDArray[Any]:
    """Bring zoned stamps to the days of a time zone, or keep them in UTC."""
    return _local(utc, tz) if on_days else utc.astype("datetime64[s]")


def _local(utc: NDArray[Any], tz: str) -> NDArray[Any]:
    index = pd.DatetimeIndex(utc.astype("datetime64[s]")).tz_localize("UTC").tz_convert(tz).tz_localize(None)
    local: NDArray[Any] = index.to_numpy().astype("datetime64[s]")
    return local
