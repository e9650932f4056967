"""`Folds`: all folds of an item by one method, in arrays that one call of a kernel can fill; and the gate behind them.

A fit of twenty microseconds is not worth the Python around it.
"""

from typing import NamedTuple

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.laws.components import NUMBERS, Components
from veridex.core.methods.fold.plan import STATS, Plan, Rows
from veridex.core.methods.fold.status import Status
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.plain import closed

__all__ = ["Folds", "settled"]

TOO_SHORT, NOT_FINITE = int(Status.TOO_SHORT), int(Status.NOT_FINITE)


class Folds(NamedTuple):
    """All folds of an item by one method (O), oldest first: what they see, and the arrays that they fill.

    Attributes
    ----------
    values, fitted : ndarray, shape (all spans together,)
        The spans end to end, and one-step forecasts inside each.
    ends : ndarray of int, shape (O + 1,)
        Where each span begins, and where the last one ends.
    anew : ndarray of bool, shape (O,)
        Folds that search anew what the last one found.
    status : ndarray of int, shape (O,)
        Above zero before a fold is run where it cannot be.
    points, std_error, law, rows, stats
        As in `Rows`, of all folds.
    """

    values: FloatArray
    fitted: FloatArray
    ends: IntArray
    anew: BoolArray
    status: IntArray
    points: FloatArray
    std_error: FloatArray
    law: Components
    rows: FloatArray
    stats: FloatArray

    @classmethod
    def over(cls, plan: Plan, values: FloatArray, ends: IntArray, anew: BoolArray) -> "Folds":
        """Folds over spans of known demand, with nothing run; an empty one is too short for every method."""
        count, horizon = ends.size - 1, plan.horizon
        folds = cls(
            values=values,
            fitted=np.empty(values.size),
            ends=ends,
            anew=anew,
            status=np.where(ends[1:] == ends[:-1], TOO_SHORT, 0),
            points=np.empty((count, horizon)),
            std_error=np.empty((count, horizon)),
            law=np.empty((count, horizon, plan.components, NUMBERS)),
            rows=np.empty((count, plan.row_size)),
            stats=np.empty((count, STATS)),
        )
        for array in (folds.fitted, folds.points, folds.std_error, folds.law, folds.rows, folds.stats):
            array.fill(np.nan)
        return folds

    def possible(self) -> list[int]:
        """Folds that nothing stands in the way of."""
        return np.flatnonzero(self.status <= 0).tolist()

    def span(self, o: int) -> FloatArray:
        """What a fold sees of demand."""
        return self.values[self.ends[o] : self.ends[o + 1]]

    def at(self, o: int) -> Rows:
        """The rows of a fold, as views."""
        fitted = self.fitted[self.ends[o] : self.ends[o + 1]]
        return Rows(self.points[o], self.std_error[o], self.law[o], self.rows[o], fitted, self.stats[o])


@kernel
def settled(folds: Folds, floor: float) -> None:
    """The gate behind all folds: finite numbers throughout, none below the floor; or none at all.

    The floor is NaN for that which the values show.
    """
    for o in range(folds.status.size):
        begin, end = folds.ends[o], folds.ends[o + 1]
        if folds.status[o] <= 0 and not closed(folds.points[o], folds.std_error[o], folds.values[begin:end], floor):
            folds.status[o] = NOT_FINITE
        if folds.status[o] > 0:
            folds.points[o] = np.nan
            folds.std_error[o] = np.nan
            folds.law[o] = np.nan
            folds.fitted[begin:end] = np.nan
            folds.rows[o] = np.nan
            folds.stats[o] = np.nan
