"""From rows (item, date, quantity) to one array per item on a regular cadence."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.periods.cadence import Cadence
from veridex.core.room import Room
from veridex.core.tables.cells import Table
from veridex.core.tables.grouping import Groups, Rows
from veridex.core.tables.layout import TableLayout
from veridex.core.tables.look import Look
from veridex.core.tables.notes import counted_note, put_together
from veridex.core.tables.spread import Scan, Spread

__all__ = ["Assembled", "Repeat", "assemble"]

WORDS = {
    "sum": "added up",
    "mean": "averaged",
    "last": "replaced by the last of them",
    "count": "counted",
    "max": "replaced by the largest of them",
}


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


def assemble(tables: Iterable[Table], look: Look, layout: TableLayout, cadence: Cadence, room: Room) -> Assembled:
    """Combine rows per item and period, in a way that depends neither on their order nor on how they are parted.

    Parameters
    ----------
    tables : iterable of Table
        Gone through twice; each item stands in one of them. A list of one is in memory, and added up once.
    look : Look
        Has heard them all.
    layout : TableLayout
        `combine` says how the rows of a period become its demand, `absent` what a period without a row means,
        `unfinished` what becomes of a last period whose order lines stop too early.
    cadence : Cadence
    room : Room
        Where the arrays are put.
    """
    last = look.unfinished(cadence)
    scan = Scan(cadence, last if layout.unfinished == "drop" else None)
    in_memory: dict[int, Groups] = {}
    said: list[list[str]] = []
    weekend = 0
    for number, table in enumerate(tables):
        groups = look.groups(table, cadence, layout.combine)
        scan.hear(table.items, groups, table.rows.stamps)
        said.append(_rows_without_quantity(table, cadence, layout))
        weekend += _weekend_rows(table.rows, cadence)
        if isinstance(tables, list):
            in_memory[number] = groups
    notes = put_together(said)
    if weekend:
        notes.append(f"{weekend:,} rows of a Saturday or Sunday were put to the Monday after.")
    order_lines = scan.lines.order_lines
    if order_lines:
        notes.append(f"{look.rows:,} order lines {WORDS[layout.combine]} per item and {cadence.noun}.")
    cut = order_lines and scan.can_be_cut
    if cut and last is not None:
        end = look.end.astype("datetime64[D]")
        notes.append(f"Left out the unfinished last {cadence.noun} {cadence.text(last)}: the order lines end on {end}.")
    rule = layout.absent or ("zero" if order_lines and layout.combine in ("sum", "count") else "unknown")
    spread = scan.spread(cut=cut, to_the_end=rule == "zero")
    filling = _Filling(look, layout, cadence, spread, rule, room, order_lines=order_lines)
    for number, table in enumerate(tables):
        known = in_memory.get(number)
        filling.take(number, table, look.groups(table, cadence, layout.combine) if known is None else known)
    made = filling.finished()
    return replace(made, notes=(*notes, *made.notes), unfinished=last if order_lines and not cut else None)


def _rows_without_quantity(table: Table, cadence: Cadence, layout: TableLayout) -> list[str]:
    if layout.combine == "count":
        return []
    said = f"Rows without a quantity: {{n:,}}; the demand of their {cadence.plural} is unknown."
    return counted_note(said, table.items, table.rows.codes[np.isnan(table.rows.demand)])


def _weekend_rows(rows: Rows, cadence: Cadence) -> int:
    """Rows that no working day has."""
    if cadence.unit != "B":
        return 0
    off = ~np.is_busday(rows.stamps.astype("datetime64[D]"))
    return int(np.bincount(rows.dates, minlength=off.size)[off].sum())


class _Filling:
    """The arrays of a history while tables are put into them, one after the other."""

    def __init__(
        self,
        look: Look,
        layout: TableLayout,
        cadence: Cadence,
        spread: Spread,
        rule: Literal["zero", "unknown"],
        room: Room,
        *,
        order_lines: bool,
    ) -> None:
        self._look, self._layout, self._cadence, self._spread, self._rule = look, layout, cadence, spread, rule
        self._order_lines, self._room = order_lines, room
        self._values = room.empty((spread.size,))
        self._parts: FloatArray | None = None
        self._censored: FloatArray | None = None
        self._repeats: dict[str, tuple[Repeat, ...]] = {}
        self._keys: dict[str, tuple[str, ...]] = {}
        self._repeated: list[list[str]] = []
        self._absent: list[list[str]] = []
        self._divided: list[list[str]] = []
        self._out: list[list[str]] = []

    def take(self, number: int, table: Table, groups: Groups) -> None:
        """Put the items of a table where they belong."""
        items, plural = table.items, self._cadence.plural.capitalize()
        self._keys |= table.keys
        if not self._order_lines:
            self._take_repeats(table, groups)
        own = self._spread.of(number, groups)
        empty = 0.0 if self._rule == "zero" else np.nan
        values = own.spread(groups.values, empty)
        other, taken = ("unknown", "nothing sold") if self._rule == "zero" else ("zero", "unknown demand")
        said = f"{plural} without a row: {{n:,}}, taken as {taken} (absent={other!r} for the other meaning)."
        without = own.spread(np.zeros(groups.values.size), 1.0) > 0
        self._absent.append(counted_note(said, items, own.owners[without]))
        divided = table.divisor is not None
        if divided:
            below = own.spread(self._look.divisors(table, self._cadence).values, empty)
            parts = np.stack((values, below))
            with np.errstate(all="ignore"):
                values = np.where(below != 0, values / below, np.nan)
            said = f"{plural} in which the ratio divides by zero: {{n:,}}; it is unknown there."
            self._divided.append(counted_note(said, items, own.owners[below == 0]))
            self._parts = self._room.empty((2, self._spread.size)) if self._parts is None else self._parts
            own.put(parts, self._parts)
        if table.in_stock is not None:
            share = own.spread(self._look.shares(table, self._cadence).values, 1.0)
            out = ~(share >= 1.0)
            least = np.full(values.size, -np.inf) if divided else np.nan_to_num(values)
            self._censored = self._room.empty((2, self._spread.size)) if self._censored is None else self._censored
            own.put(np.where(out, np.stack((least, share)), np.nan), self._censored)
            values[out] = np.nan
            said = f"{plural} out of stock: {{n:,}}; demand was at least what was sold, and is expected given that."
            self._out.append(counted_note(said, items, own.owners[out]))
        own.put(values, self._values)

    def _take_repeats(self, table: Table, groups: Groups) -> None:
        """Keep the periods of a table that have several rows, and say them."""
        again = np.repeat(groups.codes, groups.sizes - 1)
        said = f"Rows that repeat an item and {self._cadence.noun}: {{n:,}}; they were {WORDS[self._layout.combine]}."
        self._repeated.append(counted_note(said, table.items, again))
        self._repeats |= _repeats(table.rows, groups, table.items, self._cadence)

    def finished(self) -> Assembled:
        """The columns of the history."""
        spread = self._spread
        notes = put_together(self._repeated) + put_together(self._absent)
        if spread.gone:
            notes.append(f"{spread.gone} items have no finished {self._cadence.noun} and were left out.")
        return Assembled(
            items=spread.items,
            values=self._values,
            offsets=spread.offsets,
            starts=spread.starts,
            notes=(*notes, *put_together(self._divided), *put_together(self._out)),
            keys=dict(sorted(self._keys.items())),
            censored=self._censored,
            parts=self._parts,
            repeats=dict(sorted(self._repeats.items())),
        )


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
