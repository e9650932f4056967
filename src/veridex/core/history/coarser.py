"""From a finer cadence to a coarser one: days to months, months to quarters."""

from typing import Literal

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.periods.cadence import Cadence
from veridex.errors import ParameterError

__all__ = ["Gather", "coarsen"]

Gather = Literal["sum", "mean"]


def coarsen(values: FloatArray, start: int, finer: Cadence, coarser: Cadence, gather: Gather) -> tuple[FloatArray, int]:
    """Add up (or average) the periods inside each coarser one.

    A coarser period of which a part is unknown, or lies outside the history, is unknown: it is not small.

    Parameters
    ----------
    values : ndarray, shape (n,)
    start : int
        Ordinal of the first, at the finer cadence.
    finer, coarser : Cadence
    gather : {"sum", "mean"}

    Returns
    -------
    values : ndarray
    start : int
        Ordinal of the first, at the coarser cadence.

    Raises
    ------
    ParameterError
        If the periods of one do not fit into those of the other, or `gather` is another word.
    """
    if gather not in ("sum", "mean"):
        raise ParameterError("gather", repr(gather), "it is 'sum' or 'mean'")
    if finer.counted or coarser.counted:
        raise ParameterError("cadence", repr(coarser.name), "counted periods have no dates by which to gather them")
    inside = coarser.ordinals(finer.starts(np.arange(start, start + values.size)))
    first, last = int(inside[0]), int(inside[-1])
    bounds = coarser.starts(np.arange(first, last + 2))
    edges = finer.ordinals(bounds)
    fits = finer.unit == "B" or (finer.starts(edges) == bounds).all()
    if not fits or (np.diff(edges) < 1).any() or (finer.unit == "B" and coarser.within_day):
        raise ParameterError(
            "cadence",
            repr(coarser.name),
            f"{finer.name} periods do not fit into {coarser.name} ones; read the source at that cadence instead",
        )
    gathered = np.full(last - first + 1, np.nan)
    for k in range(gathered.size):
        low, high = int(edges[k]) - start, int(edges[k + 1]) - start
        if low >= 0 and high <= values.size:
            part = values[low:high]
            gathered[k] = part.sum() if gather == "sum" else part.mean()
    return gathered, first
