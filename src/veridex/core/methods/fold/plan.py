"""What a method knows before a fold, and the rows that a fold fills: plain numbers and arrays."""

from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from scipy.special import ndtri, stdtrit

from veridex.core.arrays import FloatArray
from veridex.core.preparation.regressors import Column

__all__ = ["STATS", "Plan", "Rows", "Sizes"]

STATS = 4
"""Length of a stats row: log-likelihood, values used, quantities estimated (variance included), iterations."""


class Sizes(NamedTuple):
    """What is asked of a method on an item.

    Attributes
    ----------
    season_length, horizon : int
        Periods of the season; lead times wanted.
    levels : tuple of float
        Interval levels in percent.
    columns : tuple of Column
        What the columns of the driver rows hold; none for a method that takes no drivers.
    """

    season_length: int
    horizon: int = 1
    levels: tuple[float, ...] = ()
    columns: tuple[Column, ...] = ()


@dataclass(frozen=True, slots=True)
class Plan:
    """Everything about a method that does not change from fold to fold.

    Attributes
    ----------
    sizes : Sizes
    row_size, warm_size : int
        Lengths of the parameter row and of the memory handed from fold to fold.
    needs : str
        How much history the method needs, in words.
    searched : tuple of int
        Entries of the memory that say that a form, a power or orders were searched; set to zero, the next run
        searches anew. None where nothing is searched.
    """

    sizes: Sizes
    row_size: int
    warm_size: int = 0
    needs: str = ""
    searched: tuple[int, ...] = ()

    @property
    def season_length(self) -> int:
        """Periods of the season."""
        return self.sizes.season_length

    @property
    def horizon(self) -> int:
        """Lead times wanted."""
        return self.sizes.horizon

    @property
    def levels(self) -> tuple[float, ...]:
        """Interval levels in percent."""
        return self.sizes.levels

    @property
    def columns(self) -> tuple[Column, ...]:
        """What the columns of the driver rows hold."""
        return self.sizes.columns

    @property
    def upper_shares(self) -> FloatArray:
        """Probability below the upper bound of each level."""
        return _upper(self.sizes.levels)[0]

    @property
    def quantiles(self) -> FloatArray:
        """Standard normal quantiles of the upper bounds, shape (levels,)."""
        return _upper(self.sizes.levels)[1]

    def student_quantiles(self, degrees: float) -> FloatArray:
        """Quantiles of Student's t for the upper bounds."""
        return np.asarray(stdtrit(degrees, self.upper_shares), dtype=np.float64)

    def forget(self, warm: FloatArray) -> None:
        """Make the next run search anew, where the method searches."""
        for place in self.searched:
            warm[place] = 0.0


@lru_cache(maxsize=256)
def _upper(levels: tuple[float, ...]) -> tuple[FloatArray, FloatArray]:
    """Probabilities below the upper bounds, and their normal quantiles, not to be written to."""
    shares = 0.5 + np.array(levels, dtype=np.float64) / 200.0
    quantiles = np.asarray(ndtri(shares), dtype=np.float64)
    for one in (shares, quantiles):
        one.flags.writeable = False
    return shares, quantiles


@dataclass(slots=True)
class Rows:
    """Preallocated arrays that a fold fills: the caller owns them, a backtest passes slices of its own.

    Attributes
    ----------
    points, std_error : ndarray, shape (horizon,)
        Mean and standard deviation of demand per lead time.
    lower, upper : ndarray, shape (levels, horizon)
    row : ndarray, shape (row_size,)
        The parameters.
    fitted : ndarray, shape (n,)
        One-step forecasts inside the training span; NaN where there is none.
    stats : ndarray, shape (STATS,)
    """

    points: FloatArray
    std_error: FloatArray
    lower: FloatArray
    upper: FloatArray
    row: FloatArray
    fitted: FloatArray
    stats: FloatArray

    @classmethod
    def allocate(cls, plan: Plan, n: int, row: FloatArray | None = None) -> "Rows":
        """Make rows of their own, all NaN but for the parameters, if there are some."""
        levels = len(plan.levels)
        shapes = ((plan.horizon,), (plan.horizon,), (levels, plan.horizon), (levels, plan.horizon))
        rows = cls(*(np.full(shape, np.nan) for shape in (*shapes, (plan.row_size,), (n,), (STATS,))))
        if row is not None:
            rows.row[:] = row
        return rows

    def beyond(self, head: int) -> "Rows":
        """The same rows without the first entries of the parameter row."""
        return Rows(self.points, self.std_error, self.lower, self.upper, self.row[head:], self.fitted, self.stats)

    def fill_bounds(self, quantiles: FloatArray) -> None:
        """Set bounds symmetric around the points, `quantiles` standard errors away."""
        if not quantiles.size:
            return
        half = quantiles[:, None] * self.std_error
        np.subtract(self.points, half, out=self.lower)
        np.add(self.points, half, out=self.upper)
