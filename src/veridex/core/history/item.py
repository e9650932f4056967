"""`ItemHistory`: the demand of one item; and the spans that it and `History` can be cut to."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.history.cadence import Cadence
from veridex.core.history.coarser import Gather, coarsen
from veridex.errors import HistoryTooShort, ParameterError

if TYPE_CHECKING:
    from typing import Self

__all__ = ["ItemHistory", "Spans", "locked"]


def locked(values: NDArray[Any]) -> NDArray[Any]:
    """Make an array read-only: freezing an object does not freeze its arrays."""
    values.flags.writeable = False
    return values


class Spans:
    """Spans, for one item and for many: each narrows every item to the periods asked for, ends included."""

    cadence: Cadence

    def _narrow(self, span: Callable[[int, int], tuple[int, int]], wanted: str) -> "Self":
        raise NotImplementedError

    def since(self, period: object) -> "Self":
        """Keep what lies in `period` or after it."""
        first = self.cadence.period(period)
        return self._narrow(lambda start, stop: (max(start, first), stop), f"since {period}")

    def until(self, period: object) -> "Self":
        """Keep what lies in `period` or before it."""
        last = self.cadence.period(period)
        return self._narrow(lambda start, stop: (start, min(stop, last + 1)), f"until {period}")

    def last(self, periods: int) -> "Self":
        """Keep the last so many periods of each item."""
        if periods < 1:
            raise ParameterError("last", str(periods), "keep at least one period")
        return self._narrow(lambda start, stop: (max(start, stop - periods), stop), f"last {periods}")

    def first(self, periods: int) -> "Self":
        """Keep the first so many periods of each item."""
        if periods < 1:
            raise ParameterError("first", str(periods), "keep at least one period")
        return self._narrow(lambda start, stop: (start, min(stop, start + periods)), f"first {periods}")

    def between(self, first: int, last: int) -> "Self":
        """Keep each item's positions `first` to `last`, counted from 1, both included."""
        if not 1 <= first <= last:
            raise ParameterError("between", f"({first}, {last})", "positions count from 1 and the first comes first")
        return self._narrow(
            lambda start, stop: (start + first - 1, min(stop, start + last)), f"positions {first} to {last}"
        )


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class ItemHistory(Spans):
    """The demand of one item, a value per period, oldest first.

    Attributes
    ----------
    item : str
    cadence : Cadence
    cycle_length : int
        Periods after which the season repeats; 1 where there is none.
    start : int
        Ordinal of the first period.
    values : ndarray of float, shape (n,)
        Demand per period in `unit`, NaN where unknown; read-only.
    unit : str or None
    """

    item: str
    cadence: Cadence
    cycle_length: int
    start: int
    values: NDArray[np.float64] = field(repr=False)
    unit: str | None = None

    def __len__(self) -> int:
        return int(self.values.size)

    def __repr__(self) -> str:
        span = f"{self.cadence.text(self.start)} to {self.cadence.text(self.start + len(self) - 1)}"
        return f"ItemHistory({self.item!r}, {self.cadence.name}, {span}, {len(self)} periods)"

    @property
    def ordinals(self) -> NDArray[np.int64]:
        """Ordinals of the periods."""
        return np.arange(self.start, self.start + len(self), dtype=np.int64)

    @property
    def periods(self) -> NDArray[Any]:
        """Start stamps of the periods (`datetime64[s]`; ints when counted)."""
        return self.cadence.starts(self.ordinals)

    def phase_name(self, ordinal: int) -> str:
        """The place of a period in the cycle: by the calendar where the cycle is the calendar's, else numbered."""
        if self.cycle_length == self.cadence.cycle_length:
            return self.cadence.phase_name(ordinal)
        return f"phase {ordinal % self.cycle_length + 1}"

    def _narrow(self, span: Callable[[int, int], tuple[int, int]], wanted: str) -> "ItemHistory":
        start, stop = span(self.start, self.start + len(self))
        if stop <= start:
            raise HistoryTooShort(self.item, len(self), 1, f"the span {wanted}", "Choose a span it covers.")
        return replace(self, start=start, values=self.values[start - self.start : stop - self.start])

    def at_cadence(self, cadence: str | Cadence, gather: Gather = "sum") -> "ItemHistory":
        """Add up (or average) to a coarser cadence; a coarser period not wholly known is unknown.

        Raises
        ------
        CadenceUnknown, ParameterError
            If the periods of one do not fit into those of the other.
        """
        coarser = Cadence.named(cadence)
        values, start = coarsen(self.values, self.start, self.cadence, coarser, gather)
        return replace(self, cadence=coarser, cycle_length=coarser.cycle_length, start=start, values=locked(values))

    def to_frame(self) -> pd.DataFrame:
        """The history as a table: item, period, demand."""
        return pd.DataFrame({"item": self.item, "period": self.periods, "demand": self.values})
