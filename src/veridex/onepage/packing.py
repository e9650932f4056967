"""What the page carries: numbers of six digits, JSON, compressed and written in letters that no markup minds."""

import base64
import json
import zlib
from collections.abc import Iterable
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray

__all__ = ["DIGITS", "line_of", "packed", "shortened", "stamp"]

DIGITS = 6
"""Digits of a number that is not whole."""

WHOLE = 2.0**53

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/"
"""Heights of a small line, from its lowest to its highest value."""


def packed(value: Any) -> str:
    """A value as compressed JSON in base 64."""
    text = json.dumps(value, separators=(",", ":"), ensure_ascii=False, allow_nan=False)
    return base64.b64encode(zlib.compress(text.encode("utf-8", "replace"), 6)).decode("ascii")


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
