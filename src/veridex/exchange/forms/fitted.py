"""Fitted methods as JSON files: with their series, rules, drivers and events, sealed, read back to the bit."""

import hashlib
import json
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.fitted.fitted import Fitted
from veridex.core.history.driver import EVERY_ITEM, Driver
from veridex.core.history.drivers import Drivers
from veridex.core.history.events import Events
from veridex.core.history.history import History
from veridex.core.history.interventions import intervention
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import method as as_method
from veridex.core.methods.fold.plan import STATS
from veridex.core.methods.fold.status import Status
from veridex.core.periods.cadence import Cadence
from veridex.core.preparation.regressors import Regressors
from veridex.core.tidying.rules import TidyRules
from veridex.errors import FittedUnreadable
from veridex.exchange.forms.histories import ARRAYS, about, arrays_of, restored, rules_entry, rules_of
from veridex.exchange.places.addresses import checked_file
from veridex.staged import replace_file

__all__ = ["read_fitted", "write_fitted"]

FORMAT = "veridex fitted method 5"


def write_fitted(fitted: Fitted, destination: str | Path) -> Path:
    """Write a fitted method into a file ending in ``.json``: whole or not at all."""
    target = checked_file(destination, ".json", "a fitted method")
    series = fitted.series
    history = History.of([series])
    held = {
        "format": FORMAT,
        "method": fitted.method.text,
        "item": series.item,
        "start": series.cadence.iso_of(series.start),
        "history": about(history),
        **{name: None if array is None else _plain(array) for name, array in arrays_of(history).items()},
        "drivers": _driver_entries(fitted.regressors, series),
        "driver_rules": _driver_rules(fitted.regressors),
        "events": _event_entries(fitted.regressors),
        "foresight": fitted.foresight,
        "status": int(fitted.status),
        "parameters": _plain(fitted.row),
        "stats": _plain(fitted.stats),
        "applied": fitted.applied,
    }
    text = json.dumps(held | {"seal": _seal(held)}, indent=1, ensure_ascii=False) + "\n"
    return replace_file(target, lambda path: _write(path, text))


def _write(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8")


def _seal(held: dict[str, Any]) -> str:
    return hashlib.sha256(json.dumps(held, sort_keys=True, ensure_ascii=False).encode()).hexdigest()


def read_fitted(source: str | Path) -> Fitted:
    """Read a fitted method that `vx.write` has written; it forecasts the same to the bit.

    Raises
    ------
    FittedUnreadable
        If there is no such file, it is of another format, or it is not what was written.
    """
    try:
        held = json.loads(Path(source).read_text(encoding="utf-8"))
        if not isinstance(held, dict) or held.get("format") != FORMAT:
            raise FittedUnreadable(str(source), f"it is no fitted method that this version reads ({FORMAT!r})")
        if held.pop("seal", None) != _seal(held):
            raise FittedUnreadable(str(source), "it was changed since it was written")
        return _fitted(held, str(source))
    except (OSError, ValueError, KeyError, TypeError) as problem:
        if isinstance(problem, FittedUnreadable):
            raise
        raise FittedUnreadable(str(source), f"it cannot be read ({problem})") from None


def _fitted(held: dict[str, Any], source: str) -> Fitted:
    cadence = Cadence.named(held["history"]["cadence"])
    arrays = {name: None if held[name] is None else _array(held[name]) for name in ARRAYS}
    start = np.array([cadence.period(held["start"])], dtype=np.int64)
    sizes = np.array([len(held["values"])], dtype=np.int64)
    series = restored(held["history"], (held["item"],), start, sizes, arrays)[held["item"]]
    made = Fitted(
        series=series,
        fitted_tail=np.empty(0),
        applied=bool(held["applied"]),
        method=as_method(held["method"]),
        regressors=_regressors(held, cadence),
        foresight=held["foresight"],
        status=Status(held["status"]),
        row=_array(held["parameters"]),
        stats=_array(held["stats"]),
    )
    # Kernels trust what they are handed, so it is checked before any of them sees it.
    if made.stats.size != STATS or (made.available and not made.fits):
        raise FittedUnreadable(source, "its parameters are not those of its method")
    return made.refreshed()


def _driver_entries(regressors: Regressors | None, series: ItemHistory) -> list[dict[str, Any]]:
    """The drivers of the one item, wherever they are recorded."""
    if regressors is None or regressors.drivers is None:
        return []
    entries = []
    for driver in regressors.drivers.columns:
        start, values = driver.spans.get(series.item) or driver.spans.get(EVERY_ITEM) or (series.start, np.empty(0))
        entry = {"name": driver.name, "known_ahead": driver.known_ahead}
        entries.append(entry | {"start": series.cadence.iso_of(start), "values": _plain(values)})
    return entries


def _driver_rules(regressors: Regressors | None) -> dict[str, Any] | None:
    """The rules that the drivers are repaired by."""
    rules = None if regressors is None or regressors.drivers is None else regressors.drivers.rules
    return rules_entry(rules) if isinstance(rules, TidyRules) else None


def _event_entries(regressors: Regressors | None) -> list[dict[str, Any]]:
    if regressors is None or regressors.events is None:
        return []
    rows = regressors.events.to_frame().astype({"first": str, "last": str}).to_dict("records")
    return [{str(name): value for name, value in row.items()} for row in rows]


def _regressors(held: dict[str, Any], cadence: Cadence) -> Regressors | None:
    """The drivers and events of the text; None where it has none."""
    if not held["drivers"] and not held["events"]:
        return None
    columns = [
        intervention(one["name"], cadence)
        or Driver(one["name"], one["known_ahead"], {EVERY_ITEM: (cadence.period(one["start"]), _array(one["values"]))})
        for one in held["drivers"]
    ]
    rules = held["driver_rules"]
    own = None if rules is None else rules_of(rules)
    drivers = Drivers(cadence, tuple(columns), rules=own) if columns else None
    events = Events.from_frame(pd.DataFrame(held["events"])) if held["events"] else None
    return Regressors(cadence, drivers, events)


def _plain(values: FloatArray) -> list[float | None]:
    return [None if np.isnan(value) else float(value) for value in values]


def _array(values: list[float | None]) -> FloatArray:
    return np.array([np.nan if value is None else value for value in values], dtype=np.float64)
