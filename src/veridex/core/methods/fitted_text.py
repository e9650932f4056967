"""A fitted method as text and back."""

import json
from typing import TYPE_CHECKING, Any

import numpy as np
import pandas as pd

from veridex.core.history.cadence import Cadence
from veridex.core.history.driver import EVERY_ITEM, Driver
from veridex.core.history.drivers import Drivers
from veridex.core.history.events import Events
from veridex.core.history.interventions import intervention
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import method as as_method
from veridex.core.methods.contract import FloatArray
from veridex.core.methods.status import Status
from veridex.core.preparation.regressors import Regressors
from veridex.errors import ParameterError

if TYPE_CHECKING:
    from veridex.core.methods.fitted import Fitted

__all__ = ["fitted_text", "read_fitted"]

FORMAT = "veridex fitted method 3"


def fitted_text(fitted: "Fitted") -> str:
    """Write a fitted method as JSON."""
    series = fitted.series
    return json.dumps(
        {
            "format": FORMAT,
            "method": fitted.method.text,
            "item": series.item,
            "cadence": series.cadence.name,
            "season_length": series.season_length,
            "unit": series.unit,
            "start": series.cadence.iso_of(series.start),
            "values": _plain(series.values),
            "drivers": _driver_entries(fitted.regressors, series),
            "events": _event_entries(fitted.regressors),
            "foresight": fitted.foresight,
            "status": int(fitted.status),
            "parameters": _plain(fitted.row),
            "stats": _plain(fitted.stats),
            "applied": fitted.applied,
        },
        indent=1,
    )


def read_fitted(text: str) -> dict[str, Any]:
    """Read what `fitted_text` wrote, as the fields of a `Fitted`.

    Raises
    ------
    ParameterError
        If the text is not of this format.
    """
    try:
        held = json.loads(text)
        if held["format"] != FORMAT:
            raise ParameterError("text", repr(held["format"]), f"this version reads {FORMAT!r}")
        cadence = Cadence.named(held["cadence"])
        series = ItemHistory(
            item=held["item"],
            cadence=cadence,
            season_length=held["season_length"],
            unit=held["unit"],
            start=cadence.period(held["start"]),
            values=_array(held["values"]),
        )
        return {
            "method": as_method(held["method"]),
            "series": series,
            "regressors": _regressors(held, cadence),
            "foresight": held["foresight"],
            "status": Status(held["status"]),
            "row": _array(held["parameters"]),
            "stats": _array(held["stats"]),
            "applied": held["applied"],
        }
    except (json.JSONDecodeError, KeyError, TypeError) as problem:
        raise ParameterError("text", repr(text[:40]), f"this is no fitted method ({problem})") from None


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
    drivers = Drivers(cadence, tuple(columns)) if columns else None
    events = Events.from_frame(pd.DataFrame(held["events"])) if held["events"] else None
    return Regressors(cadence, drivers, events)


def _plain(values: FloatArray) -> list[float | None]:
    return [None if np.isnan(value) else float(value) for value in values]


def _array(values: list[float | None]) -> FloatArray:
    return np.array([np.nan if value is None else value for value in values], dtype=np.float64)
