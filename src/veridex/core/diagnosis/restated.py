"""A series after a stated transform and stated differences."""

from dataclasses import dataclass, field

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.counts import whole_number
from veridex.core.diagnosis.transform import likeliest_power
from veridex.core.history.item import ItemHistory
from veridex.core.numerics.box_cox import box_cox
from veridex.errors import ParameterError

__all__ = ["Restated", "differenced", "restated"]

TRANSFORMS = ("none", "log", "box-cox")


@dataclass(frozen=True, slots=True, eq=False)
class Restated:
    """A series restated.

    Attributes
    ----------
    values : ndarray, shape (n - lost,)
    lost : int
        Periods at the beginning that differences take.
    words : str
        What was done, such as ``logarithms, differenced once over 12 months``; empty where nothing was.
    reason : str
        Why it cannot be done; empty where it can.
    """

    values: FloatArray = field(repr=False)
    lost: int = 0
    words: str = ""
    reason: str = ""


def restated(series: ItemHistory, transform: str = "none", d: int = 0, D: int = 0) -> Restated:
    """Transform a series, then take differences over the season, then plain ones.

    Raises
    ------
    ParameterError
        If the transform is none of none, log and box-cox, or the differences are out of range.
    """
    if transform not in TRANSFORMS:
        raise ParameterError("transform", repr(transform), f"it is one of {', '.join(TRANSFORMS)}")
    for name, value, most in (("d", d, 2), ("D", D, 1)):
        whole_number(name, value, 0, most)
    if D and series.season_length < 2:
        raise ParameterError("D", repr(D), f"{series.item} has no season to take differences over")
    y, said = np.array(series.values, dtype=np.float64), []
    known = y[~np.isnan(y)]
    if transform != "none":
        if known.size and known.min() <= 0:
            return Restated(np.empty(0), reason=f"{transform} needs demand above zero everywhere")
        power = 0.0 if transform == "log" else likeliest_power(known, series.season_length)
        y = box_cox(y, power)
        said.append("logarithms" if power == 0.0 else f"a Box-Cox power of {power:g}")
    if D:
        said.append(f"differenced over {series.cadence.length(series.season_length)}")
    if d:
        said.append("differenced once" if d == 1 else "differenced twice")
    lost = D * series.season_length + d
    if lost >= y.size:
        return Restated(np.empty(0), reason=f"too little history: {y.size} periods, {lost + 1} needed")
    return Restated(differenced(y, d, D, series.season_length), lost, ", ".join(said))


def differenced(values: FloatArray, d: int, D: int, season_length: int) -> FloatArray:
    """Differences over the season first, then plain ones; unknown values stay unknown."""
    y = np.array(values, dtype=np.float64)
    for _ in range(D):
        y = y[season_length:] - y[:-season_length]
    for _ in range(d):
        y = np.diff(y)
    return y
