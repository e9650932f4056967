"""What a method knows before a fold, and the rows that a fold fills: plain numbers and arrays."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.laws.components import NUMBERS, Components, put_direct
from veridex.core.numerics.compiled import kernel
from veridex.core.periods.seasons import NO_TURNS, Turns
from veridex.core.preparation.regressors import Column

__all__ = ["STATS", "Plan", "Rows", "Sizes", "put_estimated"]

STATS = 4
"""Length of a stats row: log-likelihood, values used, quantities estimated (variance included), iterations."""


class Sizes(NamedTuple):
    """What is asked of a method on an item.

    Attributes
    ----------
    season_length, horizon : int
        Periods of the season; lead times wanted.
    columns : tuple of Column
        What the columns of the driver rows hold; none for a method that takes no drivers.
    floor : float, optional
        What demand never is below, where it is stated; else the values tell.
    borrowed : mapping of str to ndarray, shape (2, season_length), optional
        Seasons that neighbours lend at the end of the span, from the period after it on, and their standard errors, by
        the column that groups them; see `veridex.core.reading.neighbours`. Of several folds (O, 2, season_length).
    turns : Turns, optional
        Seasons above the first, stated or to be looked for in each span.
    """

    season_length: int
    horizon: int = 1
    columns: tuple[Column, ...] = ()
    floor: float | None = None
    borrowed: Mapping[str, FloatArray] | None = None
    turns: Turns = NO_TURNS

    @classmethod
    def of(
        cls,
        series: ItemHistory,
        horizon: int,
        columns: tuple[Column, ...] = (),
        borrowed: Mapping[str, FloatArray] | None = None,
    ) -> "Sizes":
        """What is asked on a series."""
        return cls(series.season_length, horizon, columns, series.measure.floor, borrowed, series.turns)


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
    components : int
        The most components that its law has: one, unless it is a mixture or drawn.
    """

    sizes: Sizes
    row_size: int
    warm_size: int = 0
    needs: str = ""
    searched: tuple[int, ...] = ()
    components: int = 1

    @property
    def season_length(self) -> int:
        """Periods of the season."""
        return self.sizes.season_length

    @property
    def horizon(self) -> int:
        """Lead times wanted."""
        return self.sizes.horizon

    @property
    def columns(self) -> tuple[Column, ...]:
        """What the columns of the driver rows hold."""
        return self.sizes.columns

    def forget(self, warm: FloatArray) -> None:
        """Make the next run search anew, where the method searches."""
        for place in self.searched:
            warm[place] = 0.0


@dataclass(slots=True)
class Rows:
    """Preallocated arrays that a fold fills: the caller owns them, a backtest passes slices of its own.

    Attributes
    ----------
    points, std_error : ndarray, shape (horizon,)
        Mean and standard deviation of demand per lead time.
    law : ndarray, shape (horizon, components, NUMBERS)
        The law of demand per lead time; see `veridex.core.laws.components`.
    row : ndarray, shape (row_size,)
        The parameters.
    fitted : ndarray, shape (n,)
        One-step forecasts inside the training span; NaN where there is none.
    stats : ndarray, shape (STATS,)
    """

    points: FloatArray
    std_error: FloatArray
    law: Components
    row: FloatArray
    fitted: FloatArray
    stats: FloatArray

    @classmethod
    def allocate(cls, plan: Plan, n: int, row: FloatArray | None = None) -> "Rows":
        """Make rows of their own, all NaN but for the parameters, if there are some."""
        shapes = ((plan.horizon,), (plan.horizon,), (plan.horizon, plan.components, NUMBERS))
        rows = cls(*(np.full(shape, np.nan) for shape in (*shapes, (plan.row_size,), (n,), (STATS,))))
        if row is not None:
            rows.row[:] = row
        return rows

    def beyond(self, head: int) -> "Rows":
        """The same rows without the first entries of the parameter row."""
        return Rows(self.points, self.std_error, self.law, self.row[head:], self.fitted, self.stats)

    def say_normal(self) -> None:
        """Set a normal law with the points as its means and the standard errors."""
        put_direct(self.law, self.points, self.std_error, 1.0, math.nan)

    def say_estimated(self, known: int, estimated: int, *, divided: bool = True) -> None:
        """Set a Student law around the points that holds how little history tells of what was estimated.

        The variance of a forecast one period ahead is that of the errors times 1 + estimated / known, as Akaike (1969,
        Annals of the Institute of Statistical Mathematics 21, 243-247) has it on the average; Student's law stands for
        the variance being estimated itself. Standard errors are left as they are, given the estimates.

        Parameters
        ----------
        known, estimated : int
            Values, and quantities estimated from them, the variance not counted.
        divided : bool
            Whether the variance behind the standard errors is divided by the degrees of freedom, not by the values.
        """
        put_estimated(self.law, self.points, self.std_error, known, estimated, divided)

    def say_student(self, degrees: float) -> None:
        """Set a Student law around the points, scaled by the standard errors."""
        put_direct(self.law, self.points, self.std_error, 1.0, float(degrees))


@kernel
def put_estimated(
    law: Components, points: FloatArray, std_error: FloatArray, known: int, estimated: int, divided: bool
) -> None:
    """What `Rows.say_estimated` sets."""
    degrees = max(known - estimated, 1)
    wider = 1.0 + estimated / known if divided else (known + estimated) / degrees
    put_direct(law, points, std_error, math.sqrt(wider), float(degrees))
