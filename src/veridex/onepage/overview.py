"""The table of all items: a column per figure, an entry per item."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Bands
from veridex.core.methods.short_names import brief_name
from veridex.core.publication.dossier import ItemPublication
from veridex.onepage.packing import line_of
from veridex.onepage.source import Source

__all__ = ["overview"]

LINE_PAST, LINE_AHEAD = 36, 24
"""Periods of a small line."""


def overview(source: Source) -> dict[str, Any]:
    """Columns by name, each with a value per item in the order of the publication.

    Bounds of the next period and of the total have a list per level, the narrowest first.
    """
    items = source.items
    alerts = _alerts(source)
    return {
        "item": [one.item for one in items],
        "keys": {name: [own.get(one.item, "") for one in items] for name, own in source.columns.items()},
        "line": [_line(one) for one in items],
        "known": [_place(source, one.origin) for one in items],
        "next": np.array([_first(one) for one in items]),
        "next_bounds": _bounds(source, items, total=False),
        "total": np.array([_total(one) for one in items]),
        "total_bounds": _bounds(source, items, total=True),
        "wape": np.array([np.nan if one.scores is None else one.scores.wape for one in items]),
        "value_added": np.array([np.nan if one.scores is None else one.scores.value_added for one in items]),
        "coverage": [
            np.array([_coverage(one, level) for one in items]) for level in source.publication.head.wanted.levels
        ],
        "alerts": [alerts.get(one.item) for one in items],
        "cautions": [len(one.cautions) for one in items],
        "route": [one.route for one in items],
        "method": ["" if one.method is None else brief_name(one.method) for one in items],
        "reason": [one.reason if not one.available else "" for one in items],
        "overridden": [int(one.override is not None) for one in items],
    }


def _place(source: Source, ordinal: int) -> int:
    """Where a period stands among those of the page."""
    return ordinal - source.span[0]


def _line(one: ItemPublication) -> list[str]:
    """The latest demand and the forecast on one scale."""
    past = one.past[-LINE_PAST:]
    ahead = _points(one)[:LINE_AHEAD]
    drawn = line_of(np.concatenate((past, ahead)))
    return [drawn[: past.size], drawn[past.size :]]


def _points(one: ItemPublication) -> FloatArray:
    return np.empty(0) if one.outlook is None else one.outlook.points


def _first(one: ItemPublication) -> float:
    points = _points(one)
    return float(points[0]) if points.size else np.nan


def _total(one: ItemPublication) -> float:
    return float(one.totals.points[-1]) if one.totals is not None and one.totals.points.size else np.nan


def _coverage(one: ItemPublication, level: float) -> float:
    return np.nan if one.scores is None else one.scores.coverage.get(f"{level:g}", np.nan)


def _bounds(source: Source, items: Sequence[ItemPublication], *, total: bool) -> list[list[list[Any]]]:
    """Lower and upper bounds of the first lead time, or of the total of all: (levels, 2, items)."""
    levels = len(source.publication.head.wanted.levels)
    found = np.full((levels, 2, len(items)), np.nan)
    for place, one in enumerate(items):
        own = one.totals if total else one.outlook
        bands: Bands | None = None if own is None else own.bands
        if bands is not None and bands.lower.shape[-1]:
            at = -1 if total else 0
            found[:, 0, place], found[:, 1, place] = bands.lower[:, at], bands.upper[:, at]
    return [list(level) for level in found]


def _alerts(source: Source) -> dict[str, int]:
    """How many alerts the watch has of each item that it saw."""
    if source.watch is None:
        return {}
    return dict(zip(source.watch.items["item"].tolist(), map(int, source.watch.items["alerts"]), strict=True))
