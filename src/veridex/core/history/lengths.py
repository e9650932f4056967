"""How long a history is, in seasons: items are alike, and evidence carries over, between histories about as long."""

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.history.item import ItemHistory

__all__ = ["CLEAR", "PLAIN", "SHADES", "cycles_at", "length_class", "length_class_now", "stage_of"]

SHORTEST_CYCLE = 12
"""Periods that the length of a history is counted in, where its season is shorter or there is none."""

EDGES = np.array([1.0, 1.5, 2.0, 2.5, 3.5])
"""Seasons at which another class of length begins; nothing new is learned of a season that was seen four times."""


CLEAR = 1.0
"""A season is clear that swings wider than the noise in an item's own profile of it."""

PLAIN = 2.0
"""One that swings twice as wide is plain to see."""

SHADES = 3
"""How clear seasons are told apart: the clearer, the more is lost by passing one over."""


def cycles_at(series: ItemHistory, origins: IntArray) -> FloatArray:
    """Known periods up to and with each ordinal, in seasons (of at least twelve periods)."""
    known = np.concatenate(([0], np.cumsum(~np.isnan(series.values))))
    at = np.clip(origins - series.start + 1, 0, len(series))
    return np.asarray(known[at] / max(series.season_length, SHORTEST_CYCLE))


def length_class(cycles: FloatArray) -> IntArray:
    """The class of each length, from 0 for less than a season."""
    return np.searchsorted(EDGES, cycles, side="right")


def length_class_now(series: ItemHistory) -> int:
    """The class of length that an item is forecast from."""
    return int(length_class(cycles_at(series, np.array([series.start + len(series) - 1])))[0])


def stage_of(lengths: IntArray, clarity: FloatArray) -> IntArray:
    """What a history shows: its class of length, and how clear its season is, as one number."""
    return np.asarray(SHADES * lengths + np.searchsorted([CLEAR, PLAIN], clarity, side="right"), dtype=np.int64)
