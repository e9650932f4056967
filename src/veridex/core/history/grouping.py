"""Rows of the same item and period become one value, whatever their order."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from veridex.core.history.cadence import Cadence

__all__ = ["Combine", "Groups", "group_rows"]

Combine = Literal["sum", "mean", "last", "count", "max"]

ORDER_LINE_SHARE = 0.05
"""From this share of item-periods with several rows on, the rows are order lines, not a row per period."""

EXACT = 2.0**53
"""Whole numbers up to here are added without rounding, in any order."""

DAY = 86_400


@dataclass(frozen=True, slots=True, eq=False)
class Groups:
    """One value per item and period, sorted by item, then period.

    Attributes
    ----------
    codes, ordinals : ndarray of int, shape (groups,)
    values : ndarray of float, shape (groups,)
    order_lines : bool
        Whether the rows look like order lines: a period holds rows of different dates, or often several rows.
    """

    codes: NDArray[np.int64]
    ordinals: NDArray[np.int64]
    values: NDArray[np.float64]
    order_lines: bool


def group_rows(
    codes: NDArray[np.int64], stamps: NDArray[Any], demand: NDArray[np.float64], cadence: Cadence, combine: Combine
) -> Groups:
    """Combine rows per item and period; a group with an unknown row is unknown, unless rows are counted."""
    ordinals = cadence.ordinals(stamps)
    if not cadence.counted and combine in ("sum", "count", "mean"):
        groups = _on_a_grid(codes, ordinals, stamps, demand, cadence, combine)
        if groups is not None:
            return groups
    return _sorted(codes, ordinals, stamps, demand, combine)


def _on_a_grid(
    codes: NDArray[np.int64],
    ordinals: NDArray[np.int64],
    stamps: NDArray[Any],
    demand: NDArray[np.float64],
    cadence: Cadence,
    combine: Combine,
) -> Groups | None:
    """Add up without sorting, where that is exact: whole numbers on whole days. None where it is not."""
    first, span = int(ordinals.min()), int(np.ptp(ordinals)) + 1
    cells = (int(codes.max()) + 1) * span
    with np.errstate(all="ignore"):
        whole = bool((demand == np.rint(demand)).all()) and float(np.abs(demand).sum()) < EXACT
    seconds = stamps.astype("datetime64[s]").astype(np.int64)
    if not whole or cells > 4 * codes.size + 1_000_000 or (seconds % DAY).any():
        return None
    cell = codes * span + (ordinals - first)
    counts = np.bincount(cell, minlength=cells).astype(np.float64)
    starts = cadence.starts(np.arange(first, first + span)).astype(np.int64) // DAY
    # Days into the period are small, so that the sums that tell whether they differ are exact too.
    days = (seconds // DAY - starts[ordinals - first]).astype(np.float64)
    total, squares = (np.bincount(cell, weights=w, minlength=cells) for w in (days, days * days))
    if counts.max() * squares.max() >= EXACT:
        return None
    filled = np.flatnonzero(counts)
    sums = np.bincount(cell, weights=demand, minlength=cells)[filled]
    counts, total, squares = counts[filled], total[filled], squares[filled]
    values = counts if combine == "count" else np.asarray(sums if combine == "sum" else sums / counts, dtype=np.float64)
    differ = bool((counts * squares != total * total).any())
    order_lines = differ or bool((counts > 1).mean() >= ORDER_LINE_SHARE)
    return Groups(filled // span, filled % span + first, values, order_lines)


def _sorted(
    codes: NDArray[np.int64],
    ordinals: NDArray[np.int64],
    stamps: NDArray[Any],
    demand: NDArray[np.float64],
    combine: Combine,
) -> Groups:
    """Sort by item, period, stamp and, last, demand: the same rows in another order give the same bits."""
    order = np.lexsort((demand, stamps, ordinals, codes))
    codes, ordinals, stamps, demand = codes[order], ordinals[order], stamps[order], demand[order]
    first = np.ones(codes.size, dtype=bool)
    first[1:] = (codes[1:] != codes[:-1]) | (ordinals[1:] != ordinals[:-1])
    heads = np.flatnonzero(first)
    repeats = ~first[1:]
    differ = bool((stamps[1:][repeats] != stamps[:-1][repeats]).any())
    order_lines = differ or bool((np.diff(np.append(heads, first.size)) > 1).mean() >= ORDER_LINE_SHARE)
    return Groups(codes[heads], ordinals[heads], _combined(demand, heads, combine), order_lines)


def _combined(demand: NDArray[np.float64], heads: NDArray[np.int64], combine: Combine) -> NDArray[np.float64]:
    """One value per run of sorted rows."""
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
