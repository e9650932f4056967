"""Each period against the same one a season before, and the last whole season against the one before it."""

from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray

__all__ = ["Changes", "changes"]


class Changes(NamedTuple):
    """Percent more than so many periods before, of single periods and of as many together; shape (n - back,).

    NaN where a value is unknown or nothing was wanted before.
    """

    single: FloatArray
    together: FloatArray


def changes(values: FloatArray, back: int) -> Changes:
    """Percent by which each value exceeds the one `back` periods before, and the last `back` together those before.

    Examples
    --------
    >>> changes(np.array([2.0, 4, 3, 5]), 2)
    Changes(single=array([50., 25.]), together=array([        nan, 33.33333333]))
    """
    if values.size <= back:
        return Changes(np.empty(0), np.empty(0))
    with np.errstate(all="ignore"):
        single = 100.0 * (values[back:] / values[:-back] - 1.0)
        sums = np.convolve(values, np.ones(back), mode="valid")
        together = np.full(values.size - back, np.nan)
        together[back - 1 :] = 100.0 * (sums[back:] / sums[:-back] - 1.0)
    return Changes(*(np.where(np.isfinite(one), one, np.nan) for one in (single, together)))
