"""What a method is allowed to see at an origin."""

import numpy as np
from numpy.typing import NDArray

__all__ = ["training_values"]


def training_values(values: NDArray[np.float64], stop: int, window: int | None = None) -> NDArray[np.float64]:
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
