"""How strong a trend or a season is."""

import numpy as np

from veridex.core.arrays import FloatArray

__all__ = ["strength"]


def strength(part: FloatArray, remainder: FloatArray) -> float:
    """Share of the variance of part and remainder together that is not the remainder's, at least 0.

    Wang, Smith and Hyndman (2006), Data Mining and Knowledge Discovery 13, 335-364.
    """
    both = part + remainder
    known = np.isfinite(both)
    whole = float(np.var(both[known])) if known.any() else 0.0
    return max(0.0, 1.0 - float(np.var(remainder[known])) / whole) if whole > 0 else 0.0
