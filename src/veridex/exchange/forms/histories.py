"""Histories as plain values and arrays, and back to the bit: the one form that trials, models and files share."""

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.history.events import Events
from veridex.core.history.history import History
from veridex.core.history.marks import Mark
from veridex.core.history.measure import Measure
from veridex.core.periods.cadence import Cadence
from veridex.core.tables.assemble import Repeat
from veridex.core.tables.notes import Note
from veridex.core.tidying.rules import TidyRules
from veridex.errors import ParameterError
from veridex.exchange.kept import NUMBER, TEXT, period_field

__all__ = [
    "ARRAYS",
    "about",
    "arrays_of",
    "ledger_schema",
    "note_entry",
    "note_of",
    "restored",
    "rules_entry",
    "rules_of",
]

ARRAYS = ("values", "raw", "sold", "in_stock", "numerator", "denominator")
"""What a history has per period; all but the first may be missing."""


def about(history: History) -> dict[str, Any]:
    """Everything but the arrays, as JSON can hold it.

    Raises
    ------
    ParameterError
        If it was tidied by rules that are not ours.
    """
    rules = history.rules
    if rules is not None and not isinstance(rules, TidyRules):
        raise ParameterError("history", repr(rules), "only rules made by vx.tidy can be written")
    return {
        "cadence": history.cadence.name,
        "season_length": history.season_length,
        "seasons": list(history.stated),
        "measure": history.measure.spelled(),
        "notes": [note_entry(note) for note in history.notes],
        "key_columns": list(history.key_columns),
        "keys": {name: list(parts) for name, parts in history.keys.items()},
        "rules": None if rules is None else rules_entry(rules),
        "marks": [_mark_entry(mark) for mark in history.marks],
        "unfinished": history.unfinished,
        "repeats": {
            item: [[one.ordinal, list(one.quantities)] for one in own] for item, own in history.repeats.items()
        },
    }


def arrays_of(history: History) -> dict[str, FloatArray | None]:
    """The arrays per period, all items end to end."""
    parts = history.parts
    return {
        "values": history.values,
        "raw": history.raw,
        "sold": None if history.censored is None else history.censored[0],
        "in_stock": None if history.censored is None else history.censored[1],
        "numerator": None if parts is None else parts[0],
        "denominator": None if parts is None else parts[1],
    }


def restored(
    said: Mapping[str, Any],
    names: tuple[str, ...],
    starts: IntArray,
    sizes: IntArray,
    arrays: Mapping[str, FloatArray | None],
) -> History:
    """The history that `about` and `arrays_of` came from."""
    values, sold, in_stock = arrays["values"], arrays.get("sold"), arrays.get("in_stock")
    above, below = arrays.get("numerator"), arrays.get("denominator")
    assert values is not None
    rules = said["rules"]
    return History(
        cadence=Cadence.named(said["cadence"]),
        season_length=said["season_length"],
        stated=tuple(said["seasons"]),
        names=names,
        values=values,
        offsets=np.concatenate(([0], np.cumsum(sizes))).astype(np.int64),
        starts=starts,
        measure=Measure.of(said["measure"]),
        notes=tuple(note_of(note) for note in said["notes"]),
        key_columns=tuple(said["key_columns"]),
        keys={name: tuple(parts) for name, parts in said["keys"].items()},
        raw=arrays.get("raw"),
        rules=None if rules is None else rules_of(rules),
        censored=None if sold is None or in_stock is None else np.stack((sold, in_stock)),
        parts=None if above is None or below is None else np.stack((above, below)),
        repeats={item: tuple(Repeat(at, tuple(sold)) for at, sold in own) for item, own in said["repeats"].items()},
        unfinished=said["unfinished"],
        marks=tuple(_mark_of(mark) for mark in said["marks"]),
    )


def note_entry(note: str) -> str | dict[str, Any]:
    """A note; one that knows its items keeps them."""
    return {"template": note.template, "counts": dict(note.counts)} if isinstance(note, Note) else note


def note_of(entry: str | dict[str, Any]) -> str:
    """The note of an entry."""
    return entry if isinstance(entry, str) else Note(entry["template"], entry["counts"])


def _mark_entry(mark: Mark) -> dict[str, Any]:
    return {name: None if value != value else value for name, value in asdict(mark).items()}


def _mark_of(entry: Mapping[str, Any]) -> Mark:
    sizes = {name: np.nan if entry[name] is None else entry[name] for name in ("before", "after")}
    return Mark(**{**entry, **sizes})


def rules_entry(rules: TidyRules) -> dict[str, Any]:
    """Rules as files have them."""
    events = rules.events.to_frame().astype({"first": str, "last": str}).to_dict("list")
    return {
        "gaps": rules.gaps,
        "outliers": rules.outliers,
        "negative": rules.negative,
        "finished": rules.finished,
        "events": {str(name): values for name, values in events.items()},
    }


def rules_of(entry: Mapping[str, Any]) -> TidyRules:
    """The rules that a file tells of."""
    events = Events.from_frame(pd.DataFrame(entry["events"]))
    return TidyRules(**{key: value for key, value in entry.items() if key != "events"}, events=events)


def ledger_schema(cadence: Cadence) -> pa.Schema:
    """What a ledger of repairs is."""
    texts, numbers = ("item", "what", "why"), ("before", "after")
    found = {name: pa.field(name, TEXT) for name in texts} | {name: pa.field(name, NUMBER) for name in numbers}
    found["period"] = period_field("period", cadence)
    return pa.schema([found[name] for name in ("item", "period", "what", "before", "after", "why")])
