"""The kinds of arrays that the core is made of."""

import numpy as np
from numpy.typing import NDArray

__all__ = ["BoolArray", "FloatArray", "IntArray"]

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]
