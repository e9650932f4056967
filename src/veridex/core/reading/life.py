"""When an item was alive: zeros before its first sale and after its last are no demand to learn from."""

import numpy as np

from veridex.core.arrays import FloatArray, IntArray

__all__ = ["alive", "longest_pause"]

PATIENCE = 3.0
"""Zeros at the end, in times the longest run of zeros before them, from which on an item counts as retired."""

SHORTEST, LONGEST = 6, 26
"""Zeros at the end that no item is retired without: a season, at least six and at most twenty-six periods."""


def longest_pause(sold: IntArray) -> int:
    """Longest run of periods without a sale between two with one; `sold` are the periods with sales."""
    return int((np.diff(sold) - 1).max()) if sold.size > 1 else 0


def alive(values: FloatArray, season_length: int) -> tuple[slice, bool]:
    """From the first sale to the last period, or to the last sale of a retired item; and whether it is retired.

    Unknown periods count as neither.
    """
    known = np.flatnonzero(~np.isnan(values))
    sold = np.flatnonzero(np.nan_to_num(values, nan=0.0) != 0)
    if sold.size == 0:
        return slice(0, values.size), False
    trailing = int((known > sold[-1]).sum())
    patience = max(min(max(season_length, SHORTEST), LONGEST), PATIENCE * longest_pause(sold))
    retired = trailing >= patience
    return slice(int(sold[0]), int(sold[-1]) + 1 if retired else values.size), retired
