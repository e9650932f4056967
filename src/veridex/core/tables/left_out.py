"""Rows that a status column marks as invalid."""

import pandas as pd

__all__ = ["INVALID_WORDS", "without_invalid"]

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


def _counted(words: "pd.Series[str]", most: int = 5) -> str:
    counts = words.value_counts()
    shown = [f"{word!r} {count:,}" for word, count in counts.head(most).items() if count]
    return ", ".join(shown) + (" …" if (counts > 0).sum() > most else "")
