"""Rows and columns that are no demand of their own: marked as invalid, or totals of the others."""

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray

__all__ = ["INVALID_WORDS", "totals_among", "without_invalid", "without_totals"]

TOTALS = ("total", "totals", "grand total", "sum", "overall")
"""What rows and columns of totals are called, in any case of letters."""

AT_THE_END = 20
"""Rows at the end of a table among which totals are looked for."""

INVALID_WORDS = (
    *("invalid", "cancelled", "canceled", "void", "voided", "rejected", "returned", "deleted", "error", "test"),
    *("false", "no", "n", "0", "0.0", "bad"),
)
"""What marks a row as invalid, in any case of letters, where the planner does not say."""


def without_invalid(
    frame: pd.DataFrame, status: str, invalid: tuple[str, ...] | None
) -> tuple[pd.DataFrame, tuple[str, ...]]:
    """Leave out the rows whose status says so; the kept ones keep their numbers. Both are counted and said."""
    words = frame[status].astype(str).str.strip().str.lower()
    bad = words.isin([word.lower() for word in (INVALID_WORDS if invalid is None else invalid)])
    left, kept = (_counted(words[rows]) for rows in (bad, ~bad))
    if not bad.any():
        return frame, (f"No row is invalid by {status!r}: it says {kept}.",)
    note = f"{int(bad.sum()):,} rows are invalid by {status!r} and were left out ({left}); kept: {kept or 'none'}."
    return frame[~bad], (note,)


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


def _counted(words: "pd.Series[str]", most: int = 5) -> str:
    counts = words.value_counts()
    shown = [f"{word!r} {count:,}" for word, count in counts.head(most).items() if count]
    return ", ".join(shown) + (" …" if (counts > 0).sum() > most else "")
