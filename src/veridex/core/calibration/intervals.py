"""The one arithmetic of intervals: what is tested by it is published by it."""

from collections.abc import Sequence

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.calibration.conformal import nested

__all__ = ["CONFORMAL_SHARE", "joined_interval", "kinds_of"]


CONFORMAL_SHARE = {"model": 0.0, "average": 0.5, "conformal": 1.0}
"""How much of an interval of each kind comes from past errors; the rest is the model's."""


def kinds_of(kind: str, able: BoolArray) -> tuple[str, ...]:
    """The kind of each level, given which of them past errors can tell.

    A level that they cannot is the model's own under ``average``; under ``conformal`` it stays so and has no bounds.
    """
    return tuple(kind if enough or kind == "conformal" else "model" for enough in able.tolist())


def joined_interval(
    points: FloatArray,
    model: tuple[FloatArray, FloatArray],
    half: FloatArray,
    factor: FloatArray,
    kinds: Sequence[str],
) -> tuple[FloatArray, FloatArray]:
    """Join a model's bounds with half-widths from past errors, level by level.

    Parameters
    ----------
    points : ndarray, shape (..., H)
    model : tuple of ndarray, shape (..., L, H)
        Lower and upper bounds of the model.
    half : ndarray, shape (..., L, H)
        Conformal half-widths; NaN at lead times that were not tested, where the model's bounds stand.
    factor : ndarray, shape (L, H)
        What the model's bounds are stretched by where they are joined.
    kinds : sequence of str, length L
        From `kinds_of`.

    Returns
    -------
    tuple of ndarray, shape (..., L, H)
        Lower and upper bounds that shrink with neither lead time nor level.
    """
    share = np.array([CONFORMAL_SHARE[kind] for kind in kinds])[:, None]
    centre, known = points[..., None, :], np.isfinite(half) & (share > 0.0)
    sides = []
    for bound, sign in zip(model, (-1.0, 1.0), strict=True):
        reach = share * half + (1.0 - share) * factor * sign * (bound - centre)
        sides.append(np.where(known, centre + sign * reach, bound))
    return nested(points, sides[0], sides[1])
