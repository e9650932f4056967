"""How strong a trend or a season is."""

import numpy as np

from veridex.core.arrays import FloatArray, near_one

__all__ = ["strength"]


def strength(part: FloatArray, remainder: FloatArray) -> float:
    """Share of the variance of part and remainder together that is not the remainder's, at least 0.

    Wang, Smith and Hyndman (2006), Data Mining and Knowledge Discovery 13, 335-364.
    """
    known = np.isfinite(part + remainder)
    if not known.any():
        return 0.0
    own, rest = near_one(np.stack((part[known], remainder[known])))
    whole = float(np.var(own + rest))
    return max(0.0, 1.0 - float(np.var(rest)) / whole) if whole > 0 else 0.0
