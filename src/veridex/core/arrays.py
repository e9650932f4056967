"""The kinds of arrays that the core is made of, and units in which they can be squared."""

import numpy as np
from numpy.typing import NDArray

__all__ = ["BoolArray", "FloatArray", "IntArray", "deviation", "near_one"]

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]


def near_one(y: FloatArray) -> FloatArray:
    """Values times a power of two, which rounds nothing, so that the largest is near one; NaN is unknown.

    For figures in which the unit of demand cancels: squares are then numbers, and beside a constant demand in very
    small or large units is a column of its own.
    """
    moved: FloatArray = np.ldexp(y, -_exponent(y))
    return moved


def deviation(y: FloatArray, ddof: int = 0) -> float:
    """The standard deviation of values, whether their squares are numbers or not."""
    return float(np.ldexp(near_one(y).std(ddof=ddof), _exponent(y)))


def _exponent(y: FloatArray) -> int:
    """The power of two next above the largest value."""
    return int(np.frexp(np.fmax.reduce(np.abs(y), axis=None, initial=0.0))[1])
