"""Futures drawn from calibrated laws, lead times going together as past errors did."""

from collections.abc import Sequence

import numpy as np
from scipy.special import ndtr

from veridex.core.arrays import FloatArray
from veridex.core.calibration.dependence import extended
from veridex.core.laws.laws import Laws
from veridex.core.laws.warp import Warp

__all__ = ["drawn_paths"]


def drawn_paths(laws: Laws, warps: Sequence[Warp], dependence: FloatArray, count: int, seed: int = 0) -> FloatArray:
    """Draw paths (count, H): normal scores with these correlations, each read off the law of its lead time.

    References
    ----------
    .. [1] Cario and Nelson (1997), Northwestern University, technical report (given laws and correlations).
    """
    horizon = laws.floor.size
    root = np.linalg.cholesky(extended(dependence, horizon) + 1e-9 * np.eye(horizon))
    shares = ndtr(np.random.default_rng([4, seed]).standard_normal((count, horizon)) @ root.T).T
    asked = np.array([warp.own(row) for warp, row in zip(warps, shares, strict=True)]) if warps else shares
    return laws.quantile(asked).T
