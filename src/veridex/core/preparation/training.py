"""What a method is allowed to see at an origin."""

from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.reading.censored import learned_values

__all__ = ["TrainingSpan", "training_span", "training_values"]


@dataclass(frozen=True, slots=True, eq=False)
class TrainingSpan:
    """What is known at an origin.

    Attributes
    ----------
    y : ndarray, shape (n,)
        What a method is fitted to: tidied by the rules of the history, periods out of stock at what is expected of
        them given what was sold; from these periods alone.
    actuals : ndarray, shape (n,)
        The same periods as they were read, which errors are measured against.
    """

    y: FloatArray
    actuals: FloatArray


def training_span(series: ItemHistory, stop: int, window: int | None = None) -> TrainingSpan:
    """Cut what is known at an origin, apply the rules that travel with the series to it, and copy it.

    Parameters
    ----------
    series : ItemHistory
    stop, window
        As in `training_values`. The rules see all of the past, whatever the window.
    """
    known = series._narrow(lambda start, _: (start, start + stop), "up to the origin")
    y = training_values(learned_values(known), stop, window)
    return TrainingSpan(y, np.array(known.actuals[stop - y.size :]))


def training_values(values: FloatArray, stop: int, window: int | None = None) -> FloatArray:
    """Cut what is known at an origin, and copy it.

    The copy ends at the origin: a method that is handed it cannot look further. Unknown periods before the
    first known one are cut off, so that every method may rely on a known first value.

    Parameters
    ----------
    values : ndarray, shape (n,)
        A whole history, oldest first.
    stop : int
        Periods known at the origin; the origin is the last of them.
    window : int, optional
        Keep only so many periods before the origin (a sliding window).

    Returns
    -------
    ndarray, shape (at most `stop`,)
        Contiguous and writeable, in the one layout the kernels were compiled for; empty if nothing is known.
    """
    first = 0 if window is None else max(0, stop - window)
    span = values[first:stop]
    known = np.flatnonzero(~np.isnan(span))
    if known.size == 0:
        return np.empty(0)
    return np.array(span[known[0] :], dtype=np.float64)
