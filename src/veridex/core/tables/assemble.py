"""From rows (item, date, quantity) to one array per item on a regular cadence."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.periods.cadence import Cadence
from veridex.core.tables.grouping import Combine, Groups, Rows, group_rows
from veridex.core.tables.notes import counted_note

__all__ = ["Absent", "Assembled", "Combine", "Repeat", "Unfinished", "assemble"]

Absent = Literal["zero", "unknown"]
Unfinished = Literal["drop", "keep"]


@dataclass(frozen=True, slots=True)
class Repeat:
    """A period for which a table has several rows: its ordinal, and their quantities in order of date and size."""

    ordinal: int
    quantities: tuple[float, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Assembled:
    """The columns of a history, and what was decided while they were made.

    `keys` has the parts of each item's key where the key stands in several columns, `key_columns`; `parts` are
    numerator and denominator of a ratio, shape (2, n); `repeats` the periods with several rows in a table of one
    row per period; `unfinished` is the ordinal of a last period in which the order lines stop too early.
    """

    items: tuple[str, ...]
    values: FloatArray
    offsets: IntArray
    starts: IntArray
    notes: tuple[str, ...]
    key_columns: tuple[str, ...] = ()
    keys: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    censored: FloatArray | None = None
    parts: FloatArray | None = None
    repeats: Mapping[str, tuple[Repeat, ...]] = field(default_factory=dict)
    unfinished: int | None = None


def assemble(
    rows: Rows,
    items: tuple[str, ...],
    cadence: Cadence,
    combine: Combine,
    absent: Absent | None,
    unfinished: Unfinished,
    in_stock: FloatArray | None = None,
    divisor: FloatArray | None = None,
) -> Assembled:
    """Combine rows per item and period, in a way that does not depend on their order.

    Parameters
    ----------
    rows : Rows
    items : tuple of str
    cadence : Cadence
    combine : {"sum", "mean", "last", "count", "max"}
        How the rows of a period become its demand.
    absent : {"zero", "unknown"} or None
        What a period without a row means; None decides: zero for order lines that are added up or counted,
        unknown otherwise.
    unfinished : {"drop", "keep"}
        What to do with a last period whose order lines stop too early.
    in_stock : ndarray of float, shape (n,), optional
        Share of the period in which there was stock, NaN where it ran out at some time: the period's demand is unknown,
        and at least what was sold.
    divisor : ndarray of float, shape (n,), optional
        The quantity that demand is divided by, after both were added up.
    """
    groups = group_rows(rows, cadence, combine)
    noun, plural = cadence.noun, cadence.plural.capitalize()
    notes = _said_of_rows(rows, items, cadence, combine)
    repeats = {} if groups.order_lines else _repeats(rows, groups, items, cadence)
    finished = np.ones(groups.codes.size, dtype=bool)
    last = None
    if groups.order_lines:
        notes.append(f"{len(rows):,} order lines {WORDS[combine]} per item and {noun}.")
        last = _unfinished_period(rows.stamps, cadence)
        if last is not None and unfinished == "drop" and (keep := groups.ordinals < last).any():
            finished, end = keep, rows.stamps.max().astype("datetime64[D]")
            notes.append(f"Left out the unfinished last {noun} {cadence.text(last)}: the order lines end on {end}.")
            last = None
    elif groups.codes.size < len(rows):
        again = np.repeat(groups.codes, groups.sizes - 1)
        notes += counted_note(
            f"Rows that repeat an item and {noun}: {{n:,}}; they were {WORDS[combine]}.", items, again
        )
    rule = absent or ("zero" if groups.order_lines and combine in ("sum", "count") else "unknown")
    layout = _Layout.of(groups, finished, to_the_end=rule == "zero")
    values = layout.spread(groups.values, 0.0 if rule == "zero" else np.nan)
    other, taken = ("unknown", "nothing sold") if rule == "zero" else ("zero", "unknown demand")
    said = f"{plural} without a row: {{n:,}}, taken as {taken} (absent={other!r} for the other meaning)."
    notes += counted_note(said, items, layout.owners[layout.spread(np.zeros(groups.values.size), 1.0) > 0])
    gone = len(items) - layout.present.size
    if gone:
        notes.append(f"{gone} items have no finished {noun} and were left out.")
    censored: FloatArray | None = None
    parts: FloatArray | None = None
    if divisor is not None:
        empty = 0.0 if rule == "zero" else np.nan
        below = layout.spread(group_rows(rows.with_demand(divisor), cadence, "sum").values, empty)
        parts = np.stack((values, below))
        with np.errstate(all="ignore"):
            values = np.where(parts[1] != 0, parts[0] / parts[1], np.nan)
        said = f"{plural} in which the ratio divides by zero: {{n:,}}; it is unknown there."
        notes += counted_note(said, items, layout.owners[parts[1] == 0])
    if in_stock is not None:
        share = layout.spread(group_rows(rows.with_demand(in_stock), cadence, "mean").values, 1.0)
        out = ~(share >= 1.0)
        least = np.full(values.size, -np.inf) if parts is not None else np.nan_to_num(values)
        censored = np.where(out, np.stack((least, share)), np.nan)
        values[out] = np.nan
        said = f"{plural} out of stock: {{n:,}}; demand was at least what was sold, and is expected given that."
        notes += counted_note(said, items, layout.owners[out])
    return Assembled(
        items=tuple(items[i] for i in layout.present),
        values=values,
        offsets=layout.offsets,
        starts=layout.starts,
        notes=tuple(notes),
        censored=censored,
        parts=parts,
        repeats=repeats,
        unfinished=last,
    )


def _said_of_rows(rows: Rows, items: tuple[str, ...], cadence: Cadence, combine: Combine) -> list[str]:
    """What single rows were taken for."""
    notes: list[str] = []
    if combine != "count":
        said = f"Rows without a quantity: {{n:,}}; the demand of their {cadence.plural} is unknown."
        notes += counted_note(said, items, rows.codes[np.isnan(rows.demand)])
    if cadence.unit == "B":
        off = ~np.is_busday(rows.stamps.astype("datetime64[D]"))
        weekend = int(np.bincount(rows.dates, minlength=off.size)[off].sum())
        if weekend:
            notes.append(f"{weekend:,} rows of a Saturday or Sunday were put to the Monday after.")
    return notes


def _repeats(rows: Rows, groups: Groups, items: tuple[str, ...], cadence: Cadence) -> dict[str, tuple[Repeat, ...]]:
    """The periods of a table that have several rows, with the quantities of these rows."""
    several = groups.sizes > 1
    if not several.any():
        return {}
    span = int(np.ptp(groups.ordinals)) + 1
    first = int(groups.ordinals.min())
    wanted = groups.codes[several] * span + groups.ordinals[several] - first
    own = rows.codes.astype(np.int64) * span + cadence.ordinals(rows.stamps)[rows.dates] - first
    which = np.flatnonzero(np.isin(own, wanted))
    which = which[np.lexsort((rows.demand[which], rows.stamps[rows.dates[which]], own[which]))]
    heads = np.flatnonzero(np.concatenate(([True], np.diff(own[which]) != 0)))
    found: dict[str, list[Repeat]] = {}
    for run in np.split(which, heads[1:]):
        code, ordinal = divmod(int(own[run[0]]), span)
        found.setdefault(items[code], []).append(Repeat(ordinal + first, tuple(rows.demand[run].tolist())))
    return {item: tuple(repeats) for item, repeats in found.items()}


@dataclass(frozen=True, slots=True, eq=False)
class _Layout:
    """Where the groups lie on each item's regular periods."""

    present: IntArray
    offsets: IntArray
    starts: IntArray
    kept: BoolArray
    places: IntArray

    @classmethod
    def of(cls, groups: Groups, kept: BoolArray, *, to_the_end: bool) -> "_Layout":
        """Lay out the kept groups; each item ends with its own last, or all with the last of all."""
        codes, ordinals = groups.codes[kept], groups.ordinals[kept]
        present, where = np.unique(codes, return_index=True)
        ends = np.append(where[1:], codes.size) - 1
        starts = ordinals[where]
        # Order lines of all items end on the same day: an item without lines since then sold nothing.
        stops = np.full(present.size, ordinals.max()) if to_the_end else ordinals[ends]
        offsets = np.concatenate(([0], np.cumsum(stops - starts + 1)))
        rows = np.repeat(np.arange(present.size), np.diff(np.append(where, codes.size)))
        return cls(present, offsets, starts, kept, offsets[rows] + ordinals - starts[rows])

    @property
    def owners(self) -> IntArray:
        """The item of each period."""
        return np.repeat(self.present, np.diff(self.offsets))

    def spread(self, values: FloatArray, empty: float) -> FloatArray:
        """One array of all periods from one value per group."""
        whole = np.full(int(self.offsets[-1]), empty)
        whole[self.places] = values[self.kept]
        return whole


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
    days = np.unique(stamps.astype("datetime64[D]").astype(np.int64))
    if days.size < 3:
        return None
    last = int(cadence.ordinals(stamps.max()))
    end = int(cadence.starts(last + 1).astype("datetime64[D]").astype(np.int64)) - 1
    pause = np.quantile(np.diff(days), 0.95, method="higher")
    return last if end - days[-1] > pause else None
