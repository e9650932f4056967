"""Rows and columns that are no demand of their own: marked as invalid, or totals of the others."""

from collections import Counter
from dataclasses import dataclass, field

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray

__all__ = ["AT_THE_END", "INVALID_WORDS", "Validity", "totals_among", "without_totals"]

TOTALS = ("total", "totals", "grand total", "sum", "overall")
"""What rows and columns of totals are called, in any case of letters."""

AT_THE_END = 20
"""Rows at the end of a table among which totals are looked for."""

INVALID_WORDS = (
    *("invalid", "cancelled", "canceled", "void", "voided", "rejected", "returned", "deleted", "error", "test"),
    *("false", "no", "n", "0", "0.0", "bad"),
)
"""What marks a row as invalid, in any case of letters, where the planner does not say."""


@dataclass(slots=True)
class Validity:
    """Which rows a column marks as invalid, counted over all rows, at once or batch by batch.

    Attributes
    ----------
    column : str
    invalid : tuple of str or None
        What marks them; None for the usual words.
    left, kept : Counter
        How often each word left a row out, or kept it.
    """

    column: str
    invalid: tuple[str, ...] | None
    left: Counter[str] = field(default_factory=Counter)
    kept: Counter[str] = field(default_factory=Counter)

    def valid(self, frame: pd.DataFrame) -> pd.DataFrame:
        """The rows that are not left out; they keep their numbers."""
        words = frame[self.column].astype(str).str.strip().str.lower()
        bad = words.isin([word.lower() for word in (INVALID_WORDS if self.invalid is None else self.invalid)])
        self.left.update(words[bad])
        self.kept.update(words[~bad])
        return frame[~bad] if bad.any() else frame

    @property
    def note(self) -> str:
        """What was left out and what was kept."""
        left, kept = (_counted(words) for words in (self.left, self.kept))
        if not self.left:
            return f"No row is invalid by {self.column!r}: it says {kept}."
        count = f"{self.left.total():,} rows are invalid by {self.column!r} and were left out"
        return f"{count} ({left}); kept: {kept or 'none'}."


def without_totals(frame: pd.DataFrame, period: str, first_row: int) -> tuple[pd.DataFrame, tuple[str, ...]]:
    """Leave out rows at the end that say "total" where the others have their period, and say so."""
    end = frame.iloc[-AT_THE_END:]
    words = end[period].astype(str).str.strip().str.lower().str.rstrip(":").isin(TOTALS).to_numpy()
    demand = np.flatnonzero(~words & end.notna().any(axis=1).to_numpy())
    kept = int(demand[-1]) + 1 if demand.size else 0
    rows = [str(int(at) + first_row) for at in end.index[kept:][words[kept:]]]
    if not rows:
        return frame, ()
    return frame.iloc[: len(frame) - len(end) + kept], (f"Left out the total in row {', '.join(rows)}.",)


def totals_among(columns: dict[str, FloatArray]) -> list[str]:
    """Columns that are called a total and add up all the others."""
    found = []
    for name, values in columns.items():
        others = [other for key, other in columns.items() if key != name]
        if name.strip().lower() in TOTALS and len(others) > 1:
            added = np.nansum(others, axis=0)
            if np.allclose(np.nan_to_num(values), added, rtol=1e-9, atol=1e-9):
                found.append(name)
    return found


def _counted(words: Counter[str], most: int = 5) -> str:
    shown = [f"{word!r} {count:,}" for word, count in words.most_common(most)]
    return ", ".join(shown) + (" …" if len(words) > most else "")
