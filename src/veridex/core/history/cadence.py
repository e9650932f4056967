"""The regular spacing of a history, and the arithmetic of its periods.

A period is kept as an ordinal: whole periods since an epoch, so that neighbours differ by one. Ordinals turn
into start stamps (`datetime64[s]`, or the int itself when counted) and into ISO text only at the edge.
"""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from veridex.core.history.spellings import read_period_texts
from veridex.errors import CadenceUnknown, ParameterError

__all__ = ["CADENCES", "Cadence"]

Unit = Literal["Y", "M", "D"]


@dataclass(frozen=True, slots=True)
class Cadence:
    """A regular spacing.

    Attributes
    ----------
    name : str
        The word for it, ``"monthly"``.
    unit : {"Y", "M", "D"} or None
        The calendar unit that is counted; None for ``counted``, which has no calendar.
    count : int
        How many units make a period.
    anchor : int
        Units from the epoch (1970-01-01) back to the start of period 0.
    cycle_length : int
        Periods after which the season repeats, unless the planner says otherwise.
    noun : str
        What one period is called in a sentence.
    """

    name: str
    unit: Unit | None
    count: int
    anchor: int
    cycle_length: int
    noun: str

    @classmethod
    def named(cls, word: "str | Cadence | None") -> "Cadence":
        """Find a cadence by its name.

        Raises
        ------
        CadenceUnknown
            If the word is none of `CADENCES`.
        """
        if isinstance(word, Cadence):
            return word
        for cadence in CADENCES:
            if cadence.name == word:
                return cadence
        raise CadenceUnknown(word, tuple(c.name for c in CADENCES))

    @property
    def counted(self) -> bool:
        """Whether periods are plain numbers without dates."""
        return self.unit is None

    def ordinals(self, stamps: NDArray[Any]) -> NDArray[np.int64]:
        """Ordinals of the periods that hold the given stamps (`datetime64`; ints when counted)."""
        if self.unit is None:
            return np.asarray(stamps, dtype=np.int64)
        units = stamps.astype(f"datetime64[{self.unit}]").astype(np.int64)
        return (units + self.anchor) // self.count

    def starts(self, ordinals: NDArray[np.int64] | int) -> NDArray[Any]:
        """Start stamps of periods: `datetime64[s]`, or the ordinals themselves when counted."""
        ordinals = np.asarray(ordinals, dtype=np.int64)
        if self.unit is None:
            return ordinals
        units = ordinals * self.count - self.anchor
        return units.astype(f"datetime64[{self.unit}]").astype("datetime64[s]")

    def text(self, ordinal: int) -> str:
        """A period in ISO text, as far as it needs: ``2026``, ``2026-Q3``, ``2026-09``, ``2026-09-14``, ``17``."""
        if self.unit is None:
            return str(int(ordinal))
        day = str(self.starts(ordinal).astype("datetime64[D]"))
        if self.name == "yearly":
            return day[:4]
        if self.name == "quarterly":
            return f"{day[:4]}-Q{(int(day[5:7]) + 2) // 3}"
        return day[:7] if self.name == "monthly" else day

    def iso(self, ordinals: NDArray[np.int64]) -> list[str]:
        """The start days of periods as ISO text, for files; numbers when counted."""
        starts = self.starts(ordinals)
        return [str(s) for s in (starts if self.unit is None else starts.astype("datetime64[D]"))]

    def phase_name(self, ordinal: int) -> str:
        """The place of a period in its natural cycle, in words: ``March``, ``Q3``, ``week 12``, ``Monday``."""
        if self.unit is None:
            return f"phase {ordinal % max(self.cycle_length, 1) + 1}"
        day = self.starts(ordinal).astype("datetime64[D]").item()
        if self.name == "monthly":
            return f"{day:%B}"
        if self.name == "quarterly":
            return f"Q{(day.month + 2) // 3}"
        if self.name == "daily":
            return f"{day:%A}"
        return f"week {day.isocalendar().week}" if self.name == "weekly" else str(day.year)

    def length(self, periods: float) -> str:
        """A number of periods in words: ``1 month``, ``2.4 months``."""
        shown = f"{periods:.3g}"
        return f"{shown} {self.noun}{'' if shown == '1' else 's'}"

    def period(self, value: object) -> int:
        """Ordinal of one period, given as ISO text, a date, a stamp or, when counted, a number.

        Raises
        ------
        ParameterError
            If it cannot be read as a period of this cadence.
        """
        if isinstance(value, (int, np.integer)) and self.counted:
            return int(value)
        if isinstance(value, np.datetime64) and not self.counted:
            return int(self.ordinals(np.asarray(value)))
        stamps, readable = read_period_texts(np.array([str(value)]), counted=self.counted)
        if not readable[0]:
            wanted = "a whole number" if self.counted else "a date such as 2026-03, 2026-03-01 or 2026-Q1"
            raise ParameterError("period", repr(value), f"{self.name} periods are given as {wanted}")
        return int(self.ordinals(stamps)[0])


CADENCES = (
    Cadence("yearly", "Y", 1, 0, 1, "year"),
    Cadence("quarterly", "M", 3, 0, 4, "quarter"),
    Cadence("monthly", "M", 1, 0, 12, "month"),
    # Weeks begin on Monday (ISO 8601); the epoch was a Thursday.
    Cadence("weekly", "D", 7, 3, 52, "week"),
    Cadence("daily", "D", 1, 0, 7, "day"),
    Cadence("counted", None, 1, 0, 1, "period"),
)
