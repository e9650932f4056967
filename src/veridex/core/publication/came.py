"""What has come of the lead times that were published for an item."""

from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.history.item import ItemHistory
from veridex.core.publication.dossier import ItemPublication

__all__ = ["Came", "came"]


class Came(NamedTuple):
    """Lead times that were forecast and are known by now, the nearest first; each of shape (n,).

    Attributes
    ----------
    steps : ndarray of int
        From 1 on.
    actuals : ndarray
        As they were read, so that no repair hides a surprise.
    forecasts : ndarray
    """

    steps: IntArray
    actuals: FloatArray
    forecasts: FloatArray


def came(one: ItemPublication, series: ItemHistory) -> Came:
    """What has come of an item; nothing where it was not forecast."""
    points = np.empty(0) if one.outlook is None else one.outlook.points
    steps = np.arange(1, points.size + 1)
    at = one.origin + steps - series.start
    within = (at >= 0) & (at < len(series))
    actuals = np.full(points.size, np.nan)
    actuals[within] = series.actuals[at[within]]
    known = ~np.isnan(actuals) & ~np.isnan(points)
    return Came(steps[known], actuals[known], points[known])
