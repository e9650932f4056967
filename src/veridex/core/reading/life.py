"""When an item was alive: zeros before its first sale and after its last are no demand to learn from."""

import numpy as np

from veridex.core.arrays import FloatArray, IntArray

__all__ = ["alive", "fading", "longest_pause"]

PATIENCE = 3.0
"""Zeros at the end, in times the longest run of zeros before them, from which on an item counts as retired."""

SHORTEST, LONGEST = 6, 26
"""Zeros at the end that no item is retired without: a season, at least six and at most twenty-six periods."""

LAST_SPAN = 12
"""Periods, or a season if that is longer, whose demand is held against as many before."""

FADED = 1 / 3
"""Share of what was wanted before at or below which an item is dying, if chance does not tell it so."""

SURE = 4.0
"""Standard errors that the difference must have."""


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


def fading(values: FloatArray, season_length: int) -> tuple[float, int]:
    """Share of the demand of the last whole seasons in that of as many before, and over how many periods.

    Nought unless it is a third or less, and by far more than chance: the item is dying. Not more than a quarter of
    either span may be unknown.
    """
    span = season_length * -(-LAST_SPAN // season_length)
    last, before = values[-span:], values[-2 * span : -span]
    if before.size < span or min((~np.isnan(one)).mean() for one in (last, before)) < 0.75:
        return 0.0, span
    low, high = float(np.nanmean(last)), float(np.nanmean(before))
    error = float(np.sqrt((np.nanvar(last) + np.nanvar(before)) / span))
    if not 0.0 < low <= FADED * high or high - low <= SURE * error:
        return 0.0, span
    return low / high, span
