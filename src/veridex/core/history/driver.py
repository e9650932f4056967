"""`Driver`: one column that may explain demand."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from veridex.core.arrays import FloatArray

__all__ = ["EVERY_ITEM", "Driver"]


EVERY_ITEM = ""
"""Key of values that hold for every item."""


@dataclass(frozen=True, slots=True, eq=False)
class Driver:
    """One driver.

    Attributes
    ----------
    name : str
    known_ahead : bool
        Whether its future is known when a forecast is made (a price, a promotion), or only observed afterwards.
    spans : mapping of str to (int, ndarray)
        Ordinal of the first period and the values, per item; under ``""`` for every item.
    """

    name: str
    known_ahead: bool
    spans: Mapping[str, tuple[int, FloatArray]] = field(repr=False)

    def over(self, item: str, start: int, periods: int) -> FloatArray:
        """Values over some periods; NaN where there are none."""
        begin, values = self.spans.get(item) or self.spans.get(EVERY_ITEM) or (start, np.empty(0))
        found = np.full(periods, np.nan)
        low, high = max(begin, start), min(begin + values.size, start + periods)
        if high > low:
            found[low - start : high - start] = values[low - begin : high - begin]
        return found
