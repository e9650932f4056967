"""Histories and tidied histories as tables, and back to the bit."""

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa

from veridex.core.history.history import History
from veridex.core.periods.cadence import Cadence
from veridex.core.tidying.ledger import ledger
from veridex.core.tidying.tidy import Tidied
from veridex.errors import FileUnreadable
from veridex.exchange.forms.histories import ARRAYS, about, arrays_of, ledger_schema, note_entry, restored
from veridex.exchange.kept import NUMBER, TEXT, Form, Found, Kept, Layout, Part, Unfit, View, arrow_table, period_field

__all__ = ["HISTORY", "TIDIED"]

HISTORY_FORMAT, TIDIED_FORMAT = "veridex history 1", "veridex tidied history 3"

OWN = {"values": "demand"}
"""Columns that go by another name than the arrays they hold."""

INDEXES = (("item", "period"),)

PART = 2_000
"""Items of a part."""


def _keep_history(history: History) -> Kept:
    """A history as a table."""
    head = {"format": HISTORY_FORMAT, "columns": _columns(history), "history": about(history)}
    return Kept(
        form=HISTORY,
        head=head,
        layouts=_layouts_of_history(head),
        parts=lambda: ({"demand": part} for part in _demand(history, head)),
        facts=_facts(history),
        rows={"demand": history.values.size},
        views=(_picture(history, "demand"),),
        about=_about(history),
    )


def _keep_tidied(tidied: Tidied) -> Kept:
    """A tidied history as tables: demand, raw demand and marks; and the ledger of what was repaired."""
    history = tidied.history
    head = {
        "format": TIDIED_FORMAT,
        "rules": history.rules.in_words() if history.rules else None,
        "done": [note_entry(note) for note in tidied.notes],
        "columns": _columns(history),
        "history": about(history),
    }

    def parts() -> Iterator[Part]:
        repairs = arrow_table(tidied.ledger, ledger_schema(history.cadence))
        for number, part in enumerate(_demand(history, head)):
            yield {"tidied_demand": part} | ({} if number else {"repair": repairs})

    return Kept(
        form=TIDIED,
        head=head,
        layouts=_layouts_of_tidied(head),
        parts=parts,
        facts=_facts(history) | {"rules": head["rules"] or ""},
        rows={"tidied_demand": history.values.size, "repair": len(tidied.ledger)},
        views=(_picture(history, "tidied_demand"),),
        about=_about(history),
    )


def _layouts_of_history(head: Mapping[str, Any]) -> tuple[Layout, ...]:
    if head.get("format") != HISTORY_FORMAT:
        raise Unfit(f"its format is {head.get('format')!r}, not {HISTORY_FORMAT!r}")
    return (Layout("demand", "history", _schema(head), "History", INDEXES),)


def _layouts_of_tidied(head: Mapping[str, Any]) -> tuple[Layout, ...]:
    if head.get("format") != TIDIED_FORMAT:
        raise Unfit(f"its format is {head.get('format')!r}, not {TIDIED_FORMAT!r}")
    repairs = ledger_schema(Cadence.named(head["history"]["cadence"]))
    return (
        Layout("tidied_demand", "history", _schema(head), "History", INDEXES),
        Layout("repair", "ledger", repairs, "Ledger"),
    )


def _columns(history: History) -> list[str]:
    """The columns of its table beside item and period."""
    held = [OWN.get(name, name) for name, array in arrays_of(history).items() if array is not None]
    return [*held[:2], "mark", *held[2:]] if history.raw is not None else held


def _schema(head: Mapping[str, Any]) -> pa.Schema:
    """Item, period, demand; of a tidied history raw demand, marks and the rest."""
    period = period_field("period", Cadence.named(head["history"]["cadence"]))
    more = [pa.field(name, TEXT if name == "mark" else NUMBER) for name in head["columns"]]
    return pa.schema([pa.field("item", TEXT), period, *more])


def _demand(history: History, head: Mapping[str, Any]) -> Iterator[pa.Table]:
    """The rows of the table, some items after the others."""
    schema = _schema(head)
    arrays = {OWN.get(name, name): array for name, array in arrays_of(history).items() if array is not None}
    for first in range(0, len(history), PART):
        places = range(first, min(first + PART, len(history)))
        names = history.names[first : places.stop]
        ordinals = np.concatenate([history.at(place).ordinals for place in places])
        sizes = np.diff(history.offsets[first : first + PART + 1])
        rows = slice(int(history.offsets[first]), int(history.offsets[first + len(names)]))
        items = np.repeat(np.array(names, dtype=object), sizes)
        found: dict[str, Any] = {name: array[rows] for name, array in arrays.items()}
        found |= {"item": items, "period": history.cadence.starts(ordinals)}
        if history.raw is not None:
            marks = _marks(history, places)
            found["mark"] = [marks.get(key) for key in zip(items.tolist(), ordinals.tolist(), strict=True)]
        yield arrow_table(found, schema)


def _marks(history: History, places: range) -> dict[tuple[str, int], str]:
    """What was repaired or found at the periods of some items."""
    found: dict[tuple[str, int], list[str]] = {}
    table = ledger(history, places)
    ordinals = history.cadence.ordinals(table["period"].to_numpy()).tolist()
    for item, ordinal, what in zip(table["item"], ordinals, table["what"], strict=True):
        found.setdefault((item, ordinal), []).append(what)
    return {key: "; ".join(what) for key, what in found.items()}


def _restore(found: Found, table: str) -> History:
    """The history that tables tell of, raw values, marks and rules to the bit."""
    cadence = Cadence.named(found.head["history"]["cadence"])
    columns = found.columns(table)
    codes, names = pd.factorize(columns["item"])
    firsts = np.unique(codes, return_index=True)[1]
    arrays = {name: columns.get(OWN.get(name, name)) for name in ARRAYS}
    starts = cadence.ordinals(columns["period"][firsts])
    return restored(found.head["history"], tuple(names.tolist()), starts, np.bincount(codes).astype(np.int64), arrays)


def _facts(history: History) -> dict[str, Any]:
    """What a database says of the whole in columns."""
    return {
        "items": len(history),
        "cadence": history.cadence.name,
        "measure": history.measure.name,
        "unit": history.measure.unit or "",
    }


def _picture(history: History, table: str) -> View:
    """A picture of the item that is picked."""
    of = {"rows": "item", "columns": "period", "values": "demand", "label": history.measure.label, "bands": []}
    return View("Picture", "picture", table, of)


def _about(history: History) -> dict[str, str]:
    """What a workbook says of itself."""
    rules = history.rules
    said = {
        "what": f"Demand of {len(history):,} items, {history.cadence.name}, {history.measure.label}",
        "tidied": "no" if rules is None else rules.in_words(),
        "remarks": "\n".join(map(str, history.notes)),
    }
    return {name: text for name, text in said.items() if text}


def _unreadable(source: str, problem: str) -> FileUnreadable:
    return FileUnreadable(source, problem, "Write it again, or copy its table elsewhere and read it as your own.")


HISTORY = Form(
    kind="history",
    called="a history",
    version=HISTORY_FORMAT,
    head_file="rules.json",
    tables={"demand": "history"},
    layouts=_layouts_of_history,
    keep=_keep_history,
    restore=lambda found: _restore(found, "demand"),
    unreadable=_unreadable,
    alone=True,
)

TIDIED = Form(
    kind="tidied",
    called="a tidied history",
    version=TIDIED_FORMAT,
    head_file="rules.json",
    tables={"tidied_demand": "history", "repair": "ledger"},
    layouts=_layouts_of_tidied,
    keep=_keep_tidied,
    restore=lambda found: _restore(found, "tidied_demand"),
    unreadable=_unreadable,
)
