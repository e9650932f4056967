"""Columns that other columns explain exactly."""

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray

__all__ = ["dependent", "told_apart"]

TOLERANCE = 1e-10
EXPLAINED = 1e-9
"""Share of a column's size that its neighbours leave of it when they explain it but for rounding."""


def told_apart(own: FloatArray, drivers: FloatArray) -> BoolArray:
    """Which driver columns a method's own columns do not explain exactly: an event at the same time each year is
    season.

    Parameters
    ----------
    own : ndarray, shape (n, k)
    drivers : ndarray, shape (n, r)

    Returns
    -------
    ndarray of bool, shape (r,)
    """
    size = np.sqrt(np.square(drivers).sum(axis=0))
    rest = drivers
    if own.shape[1] and drivers.shape[1]:
        rest = drivers - own @ np.linalg.lstsq(own, drivers, rcond=None)[0]
    left = np.sqrt(np.square(rest).sum(axis=0))
    apart: BoolArray = np.asarray(left > EXPLAINED * np.where(size > 0.0, size, 1.0))
    return np.asarray(apart & (size > 0.0))


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
