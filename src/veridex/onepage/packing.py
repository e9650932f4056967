"""What the page carries: numbers of six digits, JSON, compressed and written in letters that no markup minds."""

import base64
import json
import zlib
from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray

__all__ = ["DIGITS", "as_bytes", "line_of", "packed", "shortened", "squeezed", "stamp"]

DIGITS = 6
"""Digits of a number that is not whole; in a column those of the largest one."""

LEVEL = 4
"""How hard it is compressed: more takes longer than it saves."""

UNKNOWN, LARGEST = -(2**31), 2.0**31
"""What stands for an unknown number in a column, and what its numbers are below."""

WHOLE = 2.0**53

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/"
"""Heights of a small line, from its lowest to its highest value."""


def packed(value: Any) -> str:
    """A value as compressed bytes in base 64."""
    return squeezed(as_bytes(value))


def squeezed(whole: bytes) -> str:
    """Bytes compressed, in base 64; others may work meanwhile."""
    return base64.b64encode(zlib.compress(whole, LEVEL)).decode("ascii")


def as_bytes(value: Any) -> bytes:
    """A value as bytes: JSON, in which a column of numbers is ``{"#": its place}``, and these.

    The bytes: how long the JSON is and how many columns there are (32 bits each), the JSON, the columns' lengths and
    powers of ten, then all their whole numbers, the first bytes of all, the second ones, and so on.
    """
    columns: list[FloatArray] = []

    def kept(column: Any) -> dict[str, int]:
        columns.append(np.asarray(column, dtype=np.float64).ravel())
        return {"#": len(columns) - 1}

    text = json.dumps(value, separators=(",", ":"), ensure_ascii=False, allow_nan=False, default=kept)
    words = text.encode("utf-8", "replace")
    sizes = np.array([column.size for column in columns], dtype="<i4")
    powers, numbers = _as_whole(columns, sizes)
    head = np.array([len(words), len(columns)], dtype="<u4").tobytes()
    planes = numbers.astype("<i4").view(np.uint8).reshape(-1, 4).T.tobytes()
    return b"".join((head, words, sizes.tobytes(), powers.astype("<i4").tobytes(), planes))


@np.errstate(all="ignore")
def _as_whole(columns: list[FloatArray], sizes: NDArray[Any]) -> tuple[NDArray[Any], NDArray[Any]]:
    """Powers of ten by which columns are multiplied, and whole numbers: as they are, or `DIGITS` of the largest."""
    filled = np.flatnonzero(sizes > 0)
    powers = np.zeros(sizes.size, dtype=np.int64)
    if not filled.size:
        return powers, np.empty(0, dtype=np.int64)
    values = np.concatenate(columns)
    begins = (np.cumsum(sizes) - sizes)[filled]
    known = np.isfinite(values)
    values = np.where(known, values, 0.0)
    largest = np.maximum.reduceat(np.abs(values), begins)
    whole = np.logical_and.reduceat(np.floor(values) == values, begins) & (largest < LARGEST)
    digits = DIGITS - 1 - np.floor(np.log10(np.where(largest > 0.0, largest, 1.0)))
    powers[filled] = np.where(whole, 0, digits).astype(np.int64)
    each = np.repeat(powers, sizes).astype(np.float64)
    numbers = np.rint(values * 10.0 ** np.maximum(each, 0.0) / 10.0 ** np.maximum(-each, 0.0))
    return powers, np.where(known, numbers, UNKNOWN).astype(np.int64)


def stamp(instant: str) -> str:
    """An instant as people write it.

    Examples
    --------
    >>> stamp("2026-03-01T06:00:00+00:00")
    '2026-03-01 06:00 UTC'
    """
    return instant[:16].replace("T", " ") + (" UTC" if instant.endswith("+00:00") else instant[19:])


@np.errstate(all="ignore")
def shortened(values: FloatArray | Iterable[float]) -> list[Any]:
    """Numbers with `DIGITS` digits that count, whole ones as they are; None for what is not known.

    Examples
    --------
    >>> shortened([12345.678912, 3.0, float("nan"), 1234567.0, 0.000123456789])
    [12345.7, 3, None, 1234567, 0.000123457]
    """
    found = np.asarray(values, dtype=np.float64).ravel()
    size = np.abs(found)
    whole = (np.floor(found) == found) & (size < WHOLE)
    if not whole.all():
        power = DIGITS - 1 - np.floor(np.log10(np.where(size > 0.0, size, 1.0)))
        # A whole number over a power of ten is the nearest there is to so many digits: no more of them are written.
        fine, coarse = 10.0 ** np.maximum(power, 0.0), 10.0 ** np.maximum(-power, 0.0)
        found = np.where(whole, found, np.rint(found * fine / coarse) * coarse / fine)
    return [_plain(value) for value in found.tolist()]


def _plain(value: float) -> float | int | None:
    """A number as JSON may hold it."""
    if value != value or value in (np.inf, -np.inf):
        return None
    return int(value) if value.is_integer() and abs(value) < WHOLE else value


@np.errstate(all="ignore")
def line_of(values: FloatArray) -> str:
    """The heights of a small line, a letter each; a blank for what is not known.

    Examples
    --------
    >>> import numpy as np
    >>> line_of(np.array([0.0, 1.0, np.nan, 2.0]))
    'Ag /'
    """
    known = np.isfinite(values)
    if not known.any():
        return " " * values.size
    low, high = float(values[known].min()), float(values[known].max())
    low = 0.0 if 0.0 <= low < 0.6 * high or low == high else low
    width = high - low if high > low else 1.0
    heights = np.where(known, np.rint((len(LETTERS) - 1) * (values - low) / width), -1.0).astype(int).tolist()
    return "".join(" " if height < 0 else LETTERS[height] for height in heights)
