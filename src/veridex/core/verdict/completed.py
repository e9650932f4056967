"""Losses of an item that were complete at each of its origins: what was known then of how good its methods are."""

from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray

__all__ = ["Completed"]


@dataclass(frozen=True, slots=True, eq=False)
class Completed:
    """Sums of losses, by the time at which they were known: a cell is complete when its actual is.

    Attributes
    ----------
    times : ndarray of int, shape (T,)
        Ordinals, ascending; sums hold from each of them on.
    sums : ndarray, shape (T, M)
        NaN where a method lacks a cell that the others have.
    cells : ndarray of int, shape (T,)
    """

    times: IntArray
    sums: FloatArray
    cells: IntArray

    @classmethod
    def of(cls, losses: FloatArray, known: BoolArray, origins: IntArray) -> "Completed":
        """Add up losses (M, O, H) over the known cells (O, H), a period after the other."""
        o, h = np.nonzero(known)
        ends = origins[o] + h + 1
        times, at = np.unique(ends, return_inverse=True)
        cells = np.cumsum(np.bincount(at, minlength=times.size))
        order = np.argsort(at, kind="stable")
        own = losses[:, o[order], h[order]]
        sums = np.cumsum(own, axis=1)[:, cells - 1] if times.size else np.empty((losses.shape[0], 0))
        return cls(times, np.ascontiguousarray(sums.T), cells)

    def at(self, moments: IntArray) -> IntArray:
        """Which sums held at each moment; -1 where nothing was known."""
        return np.searchsorted(self.times, moments, side="right") - 1

    def means(self, moments: IntArray) -> tuple[FloatArray, IntArray]:
        """Mean losses (moments, M) as known at each moment, NaN where nothing was, and the number of cells."""
        at = self.at(moments)
        none = at < 0
        if not self.times.size:
            return np.full((moments.size, self.sums.shape[1]), np.nan), np.zeros(moments.size, dtype=np.int64)
        cells = np.where(none, 0, self.cells[at])
        found = self.sums[at] / np.maximum(cells, 1)[:, None]
        found[none] = np.nan
        return found, cells
