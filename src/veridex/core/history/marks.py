"""Marks: what was done to single periods of a history, or found in them."""

from dataclasses import dataclass

__all__ = ["DROPPED", "MERGED", "Mark"]

MERGED = "duplicate rows merged"
DROPPED = "unfinished period dropped"


@dataclass(frozen=True, slots=True)
class Mark:
    """One row of the ledger; `ordinal` is the period's."""

    item: str
    ordinal: int
    what: str
    before: float
    after: float
    why: str
