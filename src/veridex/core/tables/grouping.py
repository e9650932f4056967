"""Rows of the same item and period become one value, whatever their order and however a row was split."""

import math
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.periods.cadence import Cadence
from veridex.core.tables.texts import batches

__all__ = ["Combine", "Groups", "Rows", "group_rows"]

Combine = Literal["sum", "mean", "last", "count", "max"]

ORDER_LINE_SHARE = 0.05
"""From this share of item-periods with several rows on, the rows are order lines, not a row per period."""

COARSE_SHARE = 0.5
"""The same where dates are months, quarters or years themselves: lines of orders have days."""

FEWEST_REPEATS = 2
"""One repeated row makes no order lines of a small table."""

EXACT = 2.0**53
"""Whole numbers up to here are added without rounding, in any order."""

MOST_DECIMALS = 4


@dataclass(frozen=True, eq=False)
class Rows:
    """Rows in one compact form, whatever the table's layout.

    Attributes
    ----------
    codes : ndarray of int, shape (n,)
        Item of each row.
    stamps : ndarray, shape (different stamps,)
        `datetime64[s]`, or int when counted.
    dates : ndarray of int, shape (n,)
        Stamp of each row, an index into `stamps`.
    demand : ndarray of float, shape (n,)
        NaN is unknown.
    """

    codes: NDArray[Any]
    stamps: NDArray[Any]
    dates: NDArray[Any]
    demand: FloatArray

    def __len__(self) -> int:
        return int(self.demand.size)

    def with_demand(self, demand: FloatArray) -> "Rows":
        """The same rows with another quantity."""
        return replace(self, demand=demand)

    @cached_property
    def decimals(self) -> int | None:
        """Decimals with which every quantity is written; None where they are too many to add up without rounding.

        Quantities of two decimals are added up as whole hundredths: 12.30 and 7.70 are 20 to the last bit.
        """
        for decimals in range(MOST_DECIMALS + 1):
            power, largest = 10.0**decimals, 0.0
            for part in batches(len(self)):
                with np.errstate(all="ignore"):
                    whole = np.rint(self.demand[part] * power)
                    same = whole / power == self.demand[part]
                    largest += float(np.nansum(np.abs(whole)))
                same |= np.isnan(self.demand[part])
                if not same.all():
                    break
            else:
                return decimals if largest < EXACT else None
        return None


@dataclass(frozen=True, slots=True, eq=False)
class Groups:
    """One value per item and period, sorted by item, then period.

    Attributes
    ----------
    codes, ordinals, sizes : ndarray of int, shape (groups,)
        Item, period, and rows of each group.
    values : ndarray of float, shape (groups,)
    order_lines : bool
        Whether the rows look like order lines: a period holds rows of different dates, or often several rows.
    """

    codes: IntArray
    ordinals: IntArray
    sizes: IntArray
    values: FloatArray
    order_lines: bool


def group_rows(rows: Rows, cadence: Cadence, combine: Combine) -> Groups:
    """Combine rows per item and period; a group with an unknown row is unknown, unless rows are counted."""
    ordinals = cadence.ordinals(rows.stamps)
    coarse = cadence.unit in ("M", "Y") and bool((cadence.starts(ordinals) == rows.stamps).all())
    share = COARSE_SHARE if coarse else ORDER_LINE_SHARE
    if combine in ("sum", "count", "mean") and (combine == "count" or rows.decimals is not None):
        first, span = int(ordinals.min()), int(np.ptp(ordinals)) + 1
        cells = (int(rows.codes.max()) + 1) * span
        if cells <= len(rows) // 2 + 1_000_000:
            return _on_a_grid(rows, ordinals - first, first, span, cells, combine, share)
    return _sorted(rows, ordinals, combine, share)


def _often(sizes: Any, share: float) -> bool:
    """Whether so many item-periods hold several rows that these are order lines."""
    several = np.asarray(sizes) > 1
    return bool(several.sum() >= FEWEST_REPEATS and several.mean() >= share)


def _on_a_grid(
    rows: Rows, places: IntArray, first: int, span: int, cells: int, combine: Combine, share: float
) -> Groups:
    """Add up without sorting, batch by batch, where that is exact: quantities of few decimals."""
    power = 10.0 ** (rows.decimals or 0)
    counts, sums = np.zeros(cells), np.zeros(cells)
    unknown = np.zeros(cells, dtype=bool)
    for part in batches(len(rows)):
        cell = rows.codes[part].astype(np.int64) * span + places[rows.dates[part]]
        counts += np.bincount(cell, minlength=cells)
        if combine != "count":
            whole = np.rint(rows.demand[part] * power)
            lost = np.isnan(whole)
            unknown[cell[lost]] = True
            whole[lost] = 0.0
            sums += np.bincount(cell, weights=whole, minlength=cells)
    filled = np.flatnonzero(counts)
    sizes = counts[filled]
    values = sizes.copy() if combine == "count" else sums[filled] / (sizes * power if combine == "mean" else power)
    values[unknown[filled]] = np.nan
    order_lines = _often(sizes, share) or _dates_differ(rows, places, span, cells, counts)
    return Groups(filled // span, filled % span + first, sizes.astype(np.int64), values, order_lines)


def _dates_differ(rows: Rows, places: IntArray, span: int, cells: int, counts: FloatArray) -> bool:
    """Whether some item and period holds rows of different dates: then their spread is above zero."""
    if (counts <= 1).all():
        return False
    # The rank of a date inside its period is small, so that the sums that tell are exact.
    order = np.argsort(rows.stamps, kind="stable")
    rank = np.empty(order.size)
    rank[order] = np.arange(order.size)
    lowest = np.full(span, np.inf)
    np.minimum.at(lowest, places, rank)
    rank -= lowest[places]
    total, squares = np.zeros(cells), np.zeros(cells)
    for part in batches(len(rows)):
        cell = rows.codes[part].astype(np.int64) * span + places[rows.dates[part]]
        own = rank[rows.dates[part]]
        total += np.bincount(cell, weights=own, minlength=cells)
        squares += np.bincount(cell, weights=own * own, minlength=cells)
    return bool((counts * squares != total * total).any())


def _sorted(rows: Rows, ordinals: IntArray, combine: Combine, share: float) -> Groups:
    """Sort by item, period, stamp and quantity, so that nothing depends on the order of the rows."""
    own_ordinals, own_stamps = ordinals[rows.dates], rows.stamps[rows.dates]
    order = np.lexsort((rows.demand, own_stamps, own_ordinals, rows.codes))
    codes, own_ordinals, own_stamps = rows.codes[order].astype(np.int64), own_ordinals[order], own_stamps[order]
    first = np.concatenate(([True], (np.diff(codes) != 0) | (np.diff(own_ordinals) != 0)))
    heads = np.flatnonzero(first)
    sizes = np.diff(np.append(heads, first.size))
    differ = bool((~first[1:] & (own_stamps[1:] != own_stamps[:-1])).any())
    order_lines = differ or _often(sizes, share)
    values = _combined(rows.demand[order], heads, sizes, combine, rows.decimals)
    return Groups(codes[heads], own_ordinals[heads], sizes, values, order_lines)


def _combined(
    demand: FloatArray,
    heads: IntArray,
    sizes: IntArray,
    combine: Combine,
    decimals: int | None,
) -> FloatArray:
    """One value per run of sorted rows."""
    if combine == "count":
        return sizes.astype(np.float64)
    if combine == "last":
        last: FloatArray = demand[heads + sizes - 1]
        return last
    if combine == "max":
        return np.asarray(np.maximum.reduceat(demand, heads), dtype=np.float64)
    divisors = sizes if combine == "mean" else np.ones(sizes.size)
    if decimals is not None:
        power = 10.0**decimals
        return np.asarray(np.add.reduceat(np.rint(demand * power), heads) / (power * divisors), dtype=np.float64)
    sums = np.array([_exact_sum(run) for run in np.split(demand, heads[1:])], dtype=np.float64)
    return np.asarray(sums / divisors, dtype=np.float64)


def _exact_sum(run: FloatArray) -> float:
    """The sum rounded once, so that it depends neither on order nor on how a quantity was split."""
    if run.size == 1:
        return float(run[0])
    try:
        return math.fsum(run)
    except OverflowError:
        return float(np.sum(run))
