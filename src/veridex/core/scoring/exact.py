"""Sums without rounding: the same bits in whatever order things are added, and a part can be taken out again.

A float is a whole number of the smallest units that floats can tell apart; Python adds whole numbers of any length.
"""

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray

__all__ = ["exact", "exact_array", "rounded", "rounded_array"]

UNITS = 1 << 1074
"""So many smallest units make one (IEEE 754: the least float above zero is 2 to the power of -1074)."""


def exact(value: float) -> int:
    """A float in smallest units.

    Examples
    --------
    >>> rounded(exact(0.1) + exact(0.2) - exact(0.2)), 0.1 + 0.2 - 0.2
    (0.1, 0.10000000000000003)
    """
    above, below = value.as_integer_ratio()
    return above * (UNITS // below)


def exact_array(values: FloatArray) -> NDArray[Any]:
    """Floats in smallest units, of any shape; NaN and what is infinite as nothing."""
    return np.asarray(np.frompyfunc(exact, 1, 1)(np.where(np.isfinite(values), values, 0.0)), dtype=object)


def rounded_array(totals: NDArray[Any]) -> FloatArray:
    """Sums of smallest units, each rounded once."""
    return np.asarray(np.frompyfunc(rounded, 1, 1)(totals), dtype=np.float64)


def rounded(total: int, count: int = 1) -> float:
    """A sum of smallest units over a count, rounded once; infinite where no float reaches."""
    try:
        return total / (count * UNITS)
    except OverflowError:
        return math.inf if total > 0 else -math.inf
