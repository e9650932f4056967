"""Items of a publication as tables, some at a time, and back to the bit."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.calibration.bands import Bands, Wanted
from veridex.core.calibration.totals import Totals
from veridex.core.laws.laws import Laws
from veridex.core.laws.warp import Warp
from veridex.core.methods.catalogue import method as as_method
from veridex.core.periods.cadence import Cadence
from veridex.core.publication.dossier import Beside, GroupTotals, ItemPublication, Outlook
from veridex.core.publication.head import Head
from veridex.core.publication.items import items_of
from veridex.core.publication.manifest import FORMAT, evidence_of, head_of, item_entry
from veridex.core.publication.tables import ITEM, frame_of, totals_of
from veridex.core.scoring.levels import level_label
from veridex.exchange.forms.histories import ledger_schema
from veridex.exchange.forms.laws import LAWS, Place, laws_table, places, read_laws
from veridex.exchange.kept import Found, Layout, Part, Unfit, arrow_table, line_of, record_field, schema_of

__all__ = ["PART", "RECORD", "TABLES", "Reader", "layouts_under", "part_of"]

TABLES = {"forecast": "publication", "total": "totals", "item": "items", "law": "laws", "ledger": "ledger"}
INDEXES = {
    "forecast": (("item", "period"),),
    "total": (("group", "name"),),
    "item": (("item",),),
    "ledger": (("item",),),
}
TECHNICAL = ("method", "decided", "route", "benchmark", "known_until", "horizon")
"""What of the items a workbook leaves out: its record has it."""

RECORD = "record"

PART = 250
"""Items of a part: their rows are a few megabytes."""

NOBODY = ItemPublication(item="", fingerprint="", origin=0, past=np.zeros(1), horizon=1, method=None)
"""An item whose tables show what columns there are."""


def layouts_under(entry: Mapping[str, Any]) -> tuple[Layout, ...]:
    """What the tables of a publication are, as its head says."""
    if entry.get("format") != FORMAT:
        raise Unfit(f"its format is {entry.get('format')!r}, not {FORMAT!r}")
    head = head_of(entry)
    cadence = Cadence.named(head.demand.cadence)
    nobody = replace(NOBODY, horizon=head.wanted.first)  # so that there is a total, wherever totals begin
    frame, totals, items = _frames(head, [nobody], cadence)
    schemas = {
        "forecast": schema_of(frame, cadence),
        "total": schema_of(totals, cadence),
        "item": schema_of(items, cadence).append(record_field(RECORD)),
        "law": LAWS,
        "ledger": ledger_schema(cadence),
    }
    sheets = {"forecast": "Long", "total": "Totals", "item": "Items", "ledger": "Ledger"}
    people = {"item": tuple(name for name in items.columns if name not in TECHNICAL)}
    return tuple(
        Layout(name, file, schemas[name], sheets.get(name, ""), INDEXES.get(name, ((),)), people.get(name, ()))
        for name, file in TABLES.items()
    )


def _frames(head: Head, items: Sequence[ItemPublication], cadence: Cadence) -> tuple[pd.DataFrame, ...]:
    """The tables of items that people look at."""
    return (
        frame_of(items, cadence, head.wanted),
        totals_of(items, (), cadence, head.wanted),
        items_of(items, cadence, head.wanted.levels),
    )


def part_of(items: Sequence[ItemPublication], head: Head, layouts: Sequence[Layout]) -> Part:
    """The rows of some items."""
    cadence, schemas = Cadence.named(head.demand.cadence), {one.name: one.schema for one in layouts}
    frame, totals, table = _frames(head, items, cadence)
    table[RECORD] = [line_of(item_entry(one, cadence)) for one in items]
    found = {"forecast": frame, "total": totals, "item": table}
    return {name: arrow_table(rows, schemas[name]) for name, rows in found.items()} | {"law": laws_table(items, ())}


class Reader:
    """Reads items, or groups, of the tables that were found.

    Parameters
    ----------
    found : Found
        The tables of some items, or of all.
    head : Head
    """

    def __init__(self, found: Found, head: Head) -> None:
        beyond = found.columns("total")
        summed = {(key[0], key[1]): _Rows.of(beyond, own) for key, own in places(beyond, ["group", "name"]).items()}
        steps = {key: int(own["step"].max()) for key, own in summed.items()}
        self._read = _Read(
            summed, read_laws(found.columns("law"), steps), Cadence.named(head.demand.cadence), head.wanted
        )
        self._found = found

    def items(self) -> dict[str, ItemPublication]:
        """What is published, by item."""
        ahead = self._found.columns("forecast")
        nothing = _Rows.of(ahead, np.empty(0, dtype=np.int64))
        rows = {key[0]: _Rows.of(ahead, own) for key, own in places(ahead, ["item"]).items()}
        items = self._found.records("item", "item", RECORD)
        return {item: _item(item, entry, rows.get(item, nothing), self._read) for item, entry in items.items()}

    def group(self, entry: dict[str, Any]) -> GroupTotals:
        """The totals of a group, from its rows and what the manifest says of it."""
        return _group(entry, self._read)


@dataclass(frozen=True, slots=True, eq=False)
class _Read:
    """What was read besides the table of forecasts."""

    totals: dict[tuple[str, str], "_Rows"]
    laws: dict[Place, tuple[Laws, tuple[Warp, ...]]]
    cadence: Cadence
    wanted: Wanted

    def total(self, group: str, name: str, said: dict[str, Any] | None) -> Totals | None:
        """A total, if there is one."""
        if said is None:
            return None
        rows = self.totals[group, name]
        laws, warps = self.laws.get(Place("total", group, name), (None, ()))
        missing = self.wanted.first - 1
        points = np.concatenate((np.full(missing, np.nan), rows["forecast"]))
        bands = _bands(rows, self.wanted, said["published"], missing)
        return Totals(points=points, bands=bands, laws=laws, warps=warps, reason=said["reason"])


def _item(item: str, entry: dict[str, Any], rows: "_Rows", read: _Read) -> ItemPublication:
    """What is published for an item, from its rows and what the manifest says of it."""
    ahead = rows.where(rows["kind"] == "forecast")
    method = None if entry["method"] is None else as_method(entry["method"])
    said = entry.get("intervals", {})
    outlooks: list[Outlook] = []
    beside: list[Beside] = []
    if method is not None and len(ahead):
        for name in dict.fromkeys(ahead["scenario"].tolist()):
            own = ahead.where(ahead["scenario"] == name)
            laws, warps = read.laws.get(Place("forecast", ITEM, item, str(name)), (None, ()))
            numbers = (
                own["value"],
                own["std_error"],
                _bands(own, read.wanted, said["published"]),
            )
            if not outlooks:
                rivals = entry.get("beside", {}).items()
                beside = [Beside(role, as_method(text), own[role]) for role, text in rivals]
            outlooks.append(Outlook(*numbers, str(own["reason"][0]), str(name), laws, warps))
    return ItemPublication(
        item=item,
        origin=read.cadence.period(entry["origin"]),
        past=rows["value"][rows["kind"] == "actual"],
        method=method,
        decided=None if entry["decided"] is None else as_method(entry["decided"]),
        tested=_span(ahead),
        outlook=outlooks[0] if outlooks else None,
        scenarios=tuple(outlooks[1:]),
        totals=read.total(ITEM, item, said.get("totals")),
        beside=tuple(beside),
        **evidence_of(entry),
    )


def _bands(rows: "_Rows", wanted: Wanted, kind: str, missing: int = 0) -> Bands:
    """The bounds that stand in a table, after so many lead times without."""
    names = [f"{side}_{level_label(level)}" for side in ("lower", "upper") for level in wanted.levels]
    names += [f"quantile_{level_label(one)}" for one in wanted.quantiles]
    values = np.full((len(names), missing + len(rows)), np.nan)
    values[:, missing:] = [rows[name] for name in names]
    return Bands.of(values, wanted, kind)


def _span(rows: "_Rows") -> range:
    """The lead times that were tested, from the first to the last."""
    steps = rows["step"][rows["tested"]]
    return range(int(steps.min()), int(steps.max()) + 1) if len(steps) else range(0)


class _Rows:
    """Some rows of a table, column by column: thousands of small tables of pandas would take a minute."""

    def __init__(self, columns: Mapping[str, NDArray[Any]]) -> None:
        self._columns = columns

    @classmethod
    def of(cls, columns: Mapping[str, NDArray[Any]], rows: NDArray[Any]) -> "_Rows":
        """The rows at these places."""
        return cls({name: column[rows] for name, column in columns.items()})

    def __getitem__(self, name: str) -> NDArray[Any]:
        return self._columns[name]

    def __len__(self) -> int:
        return len(next(iter(self._columns.values())))

    def where(self, wanted: NDArray[Any]) -> "_Rows":
        """The rows at which something holds."""
        return _Rows.of(self._columns, np.flatnonzero(wanted))


def _group(entry: dict[str, Any], read: _Read) -> GroupTotals:
    """The totals of a group, from its rows and what the manifest says of it."""
    own = read.totals[entry["group"], entry["name"]]
    totals = read.total(entry["group"], entry["name"], entry)
    assert totals is not None
    return GroupTotals(
        group=entry["group"],
        name=entry["name"],
        members=tuple(entry["members"]),
        origin=read.cadence.period(entry["origin"]),
        totals=totals,
        tested=_span(own),
    )
