"""From rows (item, date, quantity) to one array per item on a regular cadence."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from veridex.core.history.cadence import Cadence

__all__ = ["Absent", "Assembled", "Combine", "Unfinished", "assemble"]

Absent = Literal["zero", "unknown"]
Unfinished = Literal["drop", "keep"]
Combine = Literal["sum", "mean", "last", "count", "max"]

ORDER_LINE_SHARE = 0.05
"""From this share of item-periods with several rows on, the rows are order lines, not a row per period."""


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
    ordinals = cadence.ordinals(stamps)
    # Demand as the last key: the same rows in another order give the same sums to the bit.
    order = np.lexsort((demand, stamps, ordinals, codes))
    codes, ordinals, stamps, demand = codes[order], ordinals[order], stamps[order], demand[order]
    first = np.ones(codes.size, dtype=bool)
    first[1:] = (codes[1:] != codes[:-1]) | (ordinals[1:] != ordinals[:-1])
    heads = np.flatnonzero(first)
    combined = _combined(demand, heads, combine)
    codes, ordinals = codes[heads], ordinals[heads]

    notes = []
    order_lines = _are_order_lines(stamps, first, heads)
    noun = cadence.noun
    if order_lines:
        notes.append(f"{first.size:,} order lines {WORDS[combine]} per item and {noun}.")
        if unfinished == "drop" and (last := _unfinished_period(stamps, cadence)) is not None:
            keep = ordinals < last
            if keep.any():
                codes, ordinals, combined = codes[keep], ordinals[keep], combined[keep]
                end = stamps.max().astype("datetime64[D]")
                notes.append(f"Left out the unfinished last {noun} {cadence.text(last)}: the order lines end on {end}.")
    elif heads.size < first.size:
        notes.append(f"{first.size - heads.size:,} rows repeat an item and {noun}; they were {WORDS[combine]}.")
    rule = absent or ("zero" if order_lines and combine in ("sum", "count") else "unknown")

    present, where = np.unique(codes, return_index=True)
    ends = np.append(where[1:], codes.size) - 1
    starts = ordinals[where]
    # Order lines of all items end on the same day: an item without lines since then sold nothing.
    stops = np.full(present.size, ordinals.max()) if rule == "zero" else ordinals[ends]
    offsets = np.concatenate(([0], np.cumsum(stops - starts + 1)))
    values = np.full(offsets[-1], 0.0 if rule == "zero" else np.nan)
    rows = np.repeat(np.arange(present.size), np.diff(np.append(where, codes.size)))
    values[offsets[rows] + ordinals - starts[rows]] = combined
    filled = values.size - combined.size
    if filled:
        other = "unknown" if rule == "zero" else "zero"
        taken = "nothing sold" if rule == "zero" else "unknown demand"
        notes.append(
            f"{filled:,} of {values.size:,} {noun}s of all items have no row: taken as {taken} "
            f"(absent={other!r} for the other meaning)."
        )
    gone = len(items) - present.size
    if gone:
        notes.append(f"{gone} items have no finished {noun} and were left out.")
    return Assembled(tuple(items[i] for i in present), values, offsets, starts, tuple(notes))


WORDS = {
    "sum": "added up",
    "mean": "averaged",
    "last": "replaced by the last of them",
    "count": "counted",
    "max": "replaced by the largest of them",
}


def _combined(demand: NDArray[np.float64], heads: NDArray[np.int64], combine: Combine) -> NDArray[np.float64]:
    """One value per group of rows; a group with an unknown row is unknown, unless rows are counted."""
    sizes = np.diff(np.append(heads, demand.size)).astype(np.float64)
    if combine == "count":
        return sizes
    if combine == "last":
        last: NDArray[np.float64] = demand[np.append(heads[1:], demand.size) - 1]
        return last
    if combine == "max":
        return np.maximum.reduceat(demand, heads)
    with np.errstate(over="ignore"):
        sums = np.add.reduceat(demand, heads)
    return sums / sizes if combine == "mean" else sums


def _are_order_lines(stamps: NDArray[Any], first: NDArray[np.bool_], heads: NDArray[np.int64]) -> bool:
    """Order lines give a period rows of different dates, or several rows often; a table has one row each."""
    same_period = ~first[1:]
    if (stamps[1:][same_period] != stamps[:-1][same_period]).any():
        return True
    repeated = np.diff(np.append(heads, first.size)) > 1
    return bool(repeated.mean() >= ORDER_LINE_SHARE)


def _unfinished_period(stamps: NDArray[Any], cadence: Cadence) -> int | None:
    """Ordinal of the last period if orders stop before its end by more than their usual pause.

    The usual pause is the 95 % quantile of the days from one order date to the next, over all items: a
    weekend at the end of a month leaves it finished.
    """
    if cadence.counted or cadence.within_day or cadence.name in ("daily", "workday"):
        return None
    days = np.unique(stamps.astype("datetime64[D]")).astype(np.int64)
    if days.size < 3:
        return None
    last = int(cadence.ordinals(stamps.max()))
    end = int(cadence.starts(last + 1).astype("datetime64[D]").astype(np.int64)) - 1
    pause = np.quantile(np.diff(days), 0.95, method="higher")
    return last if end - days[-1] > pause else None
