"""From rows (item, date, quantity) to one array per item on a regular cadence."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from veridex.core.history.cadence import Cadence
from veridex.core.history.grouping import Combine, Groups, group_rows

__all__ = ["Absent", "Assembled", "Combine", "Unfinished", "assemble"]

Absent = Literal["zero", "unknown"]
Unfinished = Literal["drop", "keep"]


@dataclass(frozen=True, slots=True, eq=False)
class Assembled:
    """The columns of a history, and what was decided while they were made.

    `keys` has the parts of each item's key where the key stands in several columns, `key_columns`.
    """

    items: tuple[str, ...]
    values: NDArray[np.float64]
    offsets: NDArray[np.int64]
    starts: NDArray[np.int64]
    notes: tuple[str, ...]
    key_columns: tuple[str, ...] = ()
    keys: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


def assemble(
    codes: NDArray[np.int64],
    items: tuple[str, ...],
    stamps: NDArray[Any],
    demand: NDArray[np.float64],
    cadence: Cadence,
    combine: Combine,
    absent: Absent | None,
    unfinished: Unfinished,
) -> Assembled:
    """Combine rows per item and period, in a way that does not depend on their order.

    Parameters
    ----------
    codes : ndarray of int, shape (n,)
        Index into `items` of each row.
    items : tuple of str
    stamps : ndarray, shape (n,)
        `datetime64[s]`, or int when counted.
    demand : ndarray of float, shape (n,)
        NaN is unknown, and makes its period unknown.
    cadence : Cadence
    combine : {"sum", "mean", "last", "count", "max"}
        How the rows of a period become its demand.
    absent : {"zero", "unknown"} or None
        What a period without a row means; None decides: zero for order lines that are added up or counted,
        unknown otherwise.
    unfinished : {"drop", "keep"}
        What to do with a last period whose order lines stop too early.
    """
    groups = group_rows(codes, stamps, demand, cadence, combine)
    noun = cadence.noun
    notes = _said_of_rows(stamps, demand, cadence, combine)
    if groups.order_lines:
        notes.append(f"{codes.size:,} order lines {WORDS[combine]} per item and {noun}.")
        if unfinished == "drop":
            groups, said = _without_unfinished(groups, stamps, cadence)
            notes += said
    elif groups.codes.size < codes.size:
        notes.append(f"{codes.size - groups.codes.size:,} rows repeat an item and {noun}; they were {WORDS[combine]}.")
    rule = absent or ("zero" if groups.order_lines and combine in ("sum", "count") else "unknown")
    present, values, offsets, starts = _spread(groups, rule)
    filled = values.size - groups.values.size
    if filled:
        other = "unknown" if rule == "zero" else "zero"
        taken = "nothing sold" if rule == "zero" else "unknown demand"
        notes.append(
            f"{filled:,} of {values.size:,} {cadence.plural} of all items have no row: taken as {taken} "
            f"(absent={other!r} for the other meaning)."
        )
    gone = len(items) - present.size
    if gone:
        notes.append(f"{gone} items have no finished {noun} and were left out.")
    return Assembled(tuple(items[i] for i in present), values, offsets, starts, tuple(notes))


def _said_of_rows(stamps: NDArray[Any], demand: NDArray[np.float64], cadence: Cadence, combine: Combine) -> list[str]:
    """What single rows were taken for."""
    notes = []
    unknown = int(np.isnan(demand).sum())
    if unknown and combine != "count":
        notes.append(
            f"{unknown:,} of {demand.size:,} rows have no quantity: the demand of their {cadence.plural} is unknown."
        )
    if cadence.unit == "B" and (weekend := int((~np.is_busday(stamps.astype("datetime64[D]"))).sum())):
        notes.append(f"{weekend:,} rows of a Saturday or Sunday were put to the Monday after.")
    return notes


def _without_unfinished(groups: Groups, stamps: NDArray[Any], cadence: Cadence) -> tuple[Groups, list[str]]:
    """Drop a last period whose order lines stop too early, if anything is left then; say so."""
    last = _unfinished_period(stamps, cadence)
    if last is None or not (keep := groups.ordinals < last).any():
        return groups, []
    end = stamps.max().astype("datetime64[D]")
    kept = replace(groups, codes=groups.codes[keep], ordinals=groups.ordinals[keep], values=groups.values[keep])
    text = f"Left out the unfinished last {cadence.noun} {cadence.text(last)}: the order lines end on {end}."
    return kept, [text]


def _spread(
    groups: Groups, rule: Absent
) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.int64], NDArray[np.int64]]:
    """Lay values on each item's regular periods: items present, all values, offsets and starts."""
    codes, ordinals = groups.codes, groups.ordinals
    present, where = np.unique(codes, return_index=True)
    ends = np.append(where[1:], codes.size) - 1
    starts = ordinals[where]
    # Order lines of all items end on the same day: an item without lines since then sold nothing.
    stops = np.full(present.size, ordinals.max()) if rule == "zero" else ordinals[ends]
    offsets = np.concatenate(([0], np.cumsum(stops - starts + 1)))
    values = np.full(offsets[-1], 0.0 if rule == "zero" else np.nan)
    rows = np.repeat(np.arange(present.size), np.diff(np.append(where, codes.size)))
    values[offsets[rows] + ordinals - starts[rows]] = groups.values
    return present, values, offsets, starts


WORDS = {
    "sum": "added up",
    "mean": "averaged",
    "last": "replaced by the last of them",
    "count": "counted",
    "max": "replaced by the largest of them",
}


def _unfinished_period(stamps: NDArray[Any], cadence: Cadence) -> int | None:
    """Ordinal of the last period if orders stop before its end by more than their usual pause.

    The usual pause is the 95 % quantile of the days from one order date to the next, over all items: a
    weekend at the end of a month leaves it finished.
    """
    if cadence.counted or cadence.within_day or cadence.name in ("daily", "workday"):
        return None
    days = _different_days(stamps)
    if days.size < 3:
        return None
    last = int(cadence.ordinals(stamps.max()))
    end = int(cadence.starts(last + 1).astype("datetime64[D]").astype(np.int64)) - 1
    pause = np.quantile(np.diff(days), 0.95, method="higher")
    return last if end - days[-1] > pause else None


def _different_days(stamps: NDArray[Any]) -> NDArray[np.int64]:
    """Sorted days that occur among stamps; counting is faster than sorting millions."""
    days = stamps.astype("datetime64[D]").astype(np.int64)
    first = int(days.min())
    return np.flatnonzero(np.bincount(days - first)) + first
