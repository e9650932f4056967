"""`Forecast`: what comes after the end of one series."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, ClassVar

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.laws.law import Law
from veridex.core.laws.laws import Laws
from veridex.core.methods.catalogue import Method
from veridex.core.notebook import Faced
from veridex.core.scoring.levels import on_number_line, shares_of
from veridex.errors import ParameterError

__all__ = ["Forecast"]


@dataclass(frozen=True, eq=False, kw_only=True)
class Forecast(Faced):
    """Forecasts of one series from its end.

    Attributes
    ----------
    points, std_error : ndarray, shape (horizon,)
        Mean and standard deviation of demand per lead time; NaN where not available.
    laws : Laws
        What may be wanted at each lead time, shape (horizon,).
    levels : tuple of float
        Of the bounds, in percent.
    reason : str
        Why there is no forecast, or what is remarkable about it.
    """

    FACE: ClassVar[tuple[str, ...]] = ("frame",)

    method: Method
    series: ItemHistory
    levels: tuple[float, ...]
    points: FloatArray = field(repr=False)
    std_error: FloatArray = field(repr=False)
    laws: Laws = field(repr=False)
    reason: str = ""

    def law(self, step: int) -> Law:
        """What may be wanted at a lead time, from 1 on.

        Raises
        ------
        ParameterError
            If it is not one of those forecast.
        """
        if not 1 <= step <= self.points.size:
            raise ParameterError("step", repr(step), f"the forecast reaches 1 to {self.points.size} ahead")
        return Law(self.laws.at(step - 1), float(self.points[step - 1]))

    @cached_property
    def _bounds(self) -> FloatArray:
        return self.laws.quantile(shares_of(self.levels)).T.reshape(2, len(self.levels), -1)

    @property
    def lower(self) -> FloatArray:
        """Lower bounds, shape (levels, horizon)."""
        return np.asarray(self._bounds[0])

    @property
    def upper(self) -> FloatArray:
        """Upper bounds, shape (levels, horizon)."""
        return np.asarray(self._bounds[1])

    @property
    def ordinals(self) -> Any:
        """Ordinals of the forecast periods."""
        return self.series.start + len(self.series) + np.arange(self.points.size)

    @cached_property
    def frame(self) -> pd.DataFrame:
        """A row per lead time: period, step, forecast between the bounds of each level, std_error, reason."""
        columns: dict[str, Any] = {
            "period": self.series.cadence.starts(self.ordinals),
            "step": np.arange(1, self.points.size + 1),
            **on_number_line(self.levels, self.lower, self.upper, forecast=self.points),
            "std_error": self.std_error,
        }
        return pd.DataFrame(columns | {"reason": self.reason})
