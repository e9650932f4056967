"""Rows of the same item and period become one value, whatever their order and however a row was split."""

import math
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.periods.cadence import Cadence
from veridex.core.tables.texts import batches

__all__ = ["Combine", "Exactness", "Groups", "LineEvidence", "Rows", "group_rows"]

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


@dataclass(frozen=True, slots=True, eq=False)
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


class Exactness:
    """Whether quantities are whole in units of some decimals, heard at once or part by part.

    Quantities of two decimals are added up as whole hundredths: 12.30 and 7.70 are 20 to the last bit.
    """

    def __init__(self) -> None:
        self._largest = [0.0] * (MOST_DECIMALS + 1)

    def hear(self, demand: FloatArray) -> None:
        """Take in some rows."""
        for decimals in range(MOST_DECIMALS + 1):
            own = _whole_units(demand, decimals)
            if own < EXACT:  # what is whole in tenths is so in hundredths
                for finer in range(decimals, MOST_DECIMALS + 1):
                    self._largest[finer] += own * 10.0 ** (finer - decimals)
                return
            self._largest[decimals] = np.inf

    @property
    def decimals(self) -> int | None:
        """The fewest decimals with which all can be added up without rounding; None where they are too many."""
        return next((decimals for decimals, largest in enumerate(self._largest) if largest < EXACT), None)


def _whole_units(demand: FloatArray, decimals: int) -> float:
    """Sum of sizes in units of so many decimals; infinite where a quantity is not whole in them."""
    power, total = 10.0**decimals, 0.0
    for part in batches(demand.size):
        with np.errstate(all="ignore"):
            whole = np.rint(demand[part] * power)
            same = whole / power == demand[part]
            total += float(np.nansum(np.abs(whole)))
        if not (same | np.isnan(demand[part])).all():
            return np.inf
    return total


@dataclass(frozen=True, slots=True, eq=False)
class Groups:
    """One value per item and period, sorted by item, then period.

    Attributes
    ----------
    codes, ordinals, sizes : ndarray of int, shape (groups,)
        Item, period, and rows of each group.
    values : ndarray of float, shape (groups,)
    dates_differ : bool
        Whether some item and period has rows of different dates.
    """

    codes: IntArray
    ordinals: IntArray
    sizes: IntArray
    values: FloatArray
    dates_differ: bool


@dataclass(slots=True)
class LineEvidence:
    """Whether rows are order lines, told by the groups of all of them together."""

    coarse: bool = True
    groups: int = 0
    several: int = 0
    dates_differ: bool = False

    def hear(self, groups: Groups, stamps: NDArray[Any], cadence: Cadence) -> None:
        """Take in the groups of some rows, and the different stamps of these."""
        self.groups += groups.sizes.size
        self.several += int((groups.sizes > 1).sum())
        self.dates_differ |= groups.dates_differ
        own = cadence.unit in ("M", "Y") and (cadence.starts(cadence.ordinals(stamps)) == stamps).all()
        self.coarse &= bool(own)

    @property
    def order_lines(self) -> bool:
        """Whether a period holds rows of different dates, or often several rows."""
        share = COARSE_SHARE if self.coarse else ORDER_LINE_SHARE
        return self.dates_differ or (self.several >= FEWEST_REPEATS and self.several / self.groups >= share)


def group_rows(rows: Rows, cadence: Cadence, combine: Combine, decimals: int | None) -> Groups:
    """Combine rows per item and period; a group with an unknown row is unknown, unless rows are counted.

    `decimals` are those of all quantities of the table, as `Exactness` finds them.
    """
    ordinals = cadence.ordinals(rows.stamps)
    if combine in ("sum", "count", "mean") and (combine == "count" or decimals is not None):
        first, span = int(ordinals.min()), int(np.ptp(ordinals)) + 1
        cells = (int(rows.codes.max()) + 1) * span
        if cells <= len(rows) // 2 + 1_000_000:
            return _on_a_grid(rows, ordinals - first, first, span, cells, combine, decimals or 0)
    return _sorted(rows, ordinals, combine, decimals)


def _on_a_grid(
    rows: Rows, places: IntArray, first: int, span: int, cells: int, combine: Combine, decimals: int
) -> Groups:
    """Add up without sorting, batch by batch, where that is exact: quantities of few decimals."""
    power = 10.0**decimals
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
    differ = _dates_differ(rows, places, span, cells, counts)
    return Groups(filled // span, filled % span + first, sizes.astype(np.int64), values, differ)


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


def _sorted(rows: Rows, ordinals: IntArray, combine: Combine, decimals: int | None) -> Groups:
    """Sort by item, period, stamp and quantity, so that nothing depends on the order of the rows."""
    own_ordinals, own_stamps = ordinals[rows.dates], rows.stamps[rows.dates]
    order = np.lexsort((rows.demand, own_stamps, own_ordinals, rows.codes))
    codes, own_ordinals, own_stamps = rows.codes[order].astype(np.int64), own_ordinals[order], own_stamps[order]
    first = np.concatenate(([True], (np.diff(codes) != 0) | (np.diff(own_ordinals) != 0)))
    heads = np.flatnonzero(first)
    sizes = np.diff(np.append(heads, first.size))
    differ = bool((~first[1:] & (own_stamps[1:] != own_stamps[:-1])).any())
    values = _combined(rows.demand[order], heads, sizes, combine, decimals)
    return Groups(codes[heads], own_ordinals[heads], sizes, values, differ)


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
