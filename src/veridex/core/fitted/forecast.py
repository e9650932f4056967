"""`Forecast`: what comes after the end of one series."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method
from veridex.core.scoring.levels import on_number_line

__all__ = ["Forecast"]


@dataclass(frozen=True, eq=False, kw_only=True)
class Forecast:
    """Forecasts of one series from its end.

    Attributes
    ----------
    points, std_error : ndarray, shape (horizon,)
        Mean and standard deviation of demand per lead time; NaN where not available.
    lower, upper : ndarray, shape (levels, horizon)
    levels : tuple of float
        In percent.
    reason : str
        Why there is no forecast, or what is remarkable about it.
    """

    method: Method
    series: ItemHistory
    levels: tuple[float, ...]
    points: FloatArray = field(repr=False)
    std_error: FloatArray = field(repr=False)
    lower: FloatArray = field(repr=False)
    upper: FloatArray = field(repr=False)
    reason: str = ""

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
