"""Columns that other columns explain exactly."""

import numpy as np

from veridex.core.methods.contract import FloatArray

__all__ = ["dependent"]

TOLERANCE = 1e-10


def dependent(design: FloatArray, count: int | None = None) -> list[int]:
    """Find a column that others explain exactly.

    Parameters
    ----------
    design : ndarray, shape (n, k)
    count : int, optional
        Report columns before this one only; the others (a constant) explain but are not named.

    Returns
    -------
    list of int
        The columns that depend on each other, empty where all are independent.
    """
    if not design.shape[1]:
        return []
    size = np.sqrt(np.square(design).sum(axis=0))
    unit = design / np.where(size > 0.0, size, 1.0)
    _, singular, right = np.linalg.svd(unit, full_matrices=False)
    if design.shape[0] >= design.shape[1] and singular[-1] > TOLERANCE * singular[0]:
        return []
    shares = np.abs(right[-1])
    return [j for j in np.flatnonzero(shares > 1e-6 * shares.max()).tolist() if count is None or j < count]
