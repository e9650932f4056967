"""The tables of a publication, made of what is published for its items."""

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Bands, Wanted
from veridex.core.periods.cadence import Cadence
from veridex.core.publication.dossier import GroupTotals, ItemPublication, Outlook
from veridex.core.scoring.levels import level_label

__all__ = ["ITEM", "frame_of", "totals_of"]

ITEM = "item"
"""What the group of an item's own total is called."""

TYPES = {"step": "Int64", "tested": "boolean"}


def frame_of(items: Iterable[ItemPublication], cadence: Cadence, wanted: Wanted) -> pd.DataFrame:
    """History and forecasts of all items under each other."""
    blocks: list[dict[str, Any]] = []
    for one in items:
        blocks.append(_past_block(one, cadence, wanted))
        blocks.append(_ahead_block(one, cadence, wanted, one.outlook))
        blocks += [_ahead_block(one, cadence, wanted, other) for other in one.scenarios]
    return _table(blocks)


def _table(blocks: Sequence[dict[str, Any]]) -> pd.DataFrame:
    """Blocks of columns under each other; lists are texts or may be missing, arrays are numbers."""
    columns: dict[str, Any] = {}
    for name in blocks[0]:
        parts = [block[name] for block in blocks]
        if isinstance(parts[0], np.ndarray):
            columns[name] = np.concatenate(parts)
        else:
            columns[name] = [value for part in parts for value in part]
    return pd.DataFrame(
        {name: pd.array(values, dtype=TYPES[name]) if name in TYPES else values for name, values in columns.items()}
    )


def _past_block(one: ItemPublication, cadence: Cadence, wanted: Wanted) -> dict[str, Any]:
    """The last periods of the history, as they were read."""
    n = one.past.size
    none = np.full((len(wanted.all_levels), n), np.nan)
    numbers = _numbers(wanted, one.past, np.full(n, np.nan), none, none)
    return {
        **_leading(one, cadence, one.origin - n + 1, "actual", [pd.NA] * n),
        **_around(numbers),
        "method": [None] * n,
        "tested": [pd.NA] * n,
        "reason": [""] * n,
        "scenario": [""] * n,
        **_appended(numbers),
        "intervals": [""] * n,
    }


def _ahead_block(one: ItemPublication, cadence: Cadence, wanted: Wanted, outlook: Outlook | None) -> dict[str, Any]:
    """The lead times of a forecast; rows without numbers where there is none."""
    n = max(one.horizon, 0)
    steps = list(range(1, n + 1))
    if outlook is not None:
        bands = outlook.bands
        numbers = _numbers(wanted, outlook.points, outlook.std_error, bands.lower, bands.upper)
        words = [bands.words(wanted.all_levels, step) for step in steps]
    else:
        none = np.full((len(wanted.all_levels), n), np.nan)
        numbers, words = _numbers(wanted, np.full(n, np.nan), np.full(n, np.nan), none, none), [""] * n
    other = outlook is not None and bool(outlook.scenario)
    reason = outlook.reason if outlook is not None and other else one.reason
    return {
        **_leading(one, cadence, one.origin + 1, "forecast", steps),
        **_around(numbers),
        "method": [one.method.text if one.method is not None else None] * n,
        "tested": [step in one.tested for step in steps],
        "reason": [reason] * n,
        "scenario": [outlook.scenario if outlook is not None else ""] * n,
        **_appended(numbers),
        "intervals": words,
    }


def _leading(one: ItemPublication, cadence: Cadence, first: int, kind: str, steps: list[Any]) -> dict[str, Any]:
    n = len(steps)
    periods = cadence.starts(np.arange(first, first + n))
    return {"item": [one.item] * n, "period": periods, "kind": [kind] * n, "step": steps}


def _around(numbers: dict[str, FloatArray]) -> dict[str, FloatArray]:
    """The columns that were there first."""
    return {name: values for name, values in numbers.items() if not name.startswith(("quantile_", "half_width_"))}


def _appended(numbers: dict[str, FloatArray]) -> dict[str, FloatArray]:
    """The columns that were appended."""
    return {name: values for name, values in numbers.items() if name.startswith(("quantile_", "half_width_"))}


def _numbers(
    wanted: Wanted, values: FloatArray, std_error: FloatArray, lower: FloatArray, upper: FloatArray
) -> dict[str, FloatArray]:
    """Value, standard error, bounds and quantiles, and the half-widths of the intervals."""
    found = {"value": values, "std_error": std_error, **wanted.columns(lower, upper)}
    places = [wanted.all_levels.index(level) for level in wanted.levels]
    with np.errstate(all="ignore"):
        for level, j in zip(wanted.levels, places, strict=True):
            label = level_label(level)
            half = 0.5 * (upper[j] - lower[j])
            share = 100.0 * half / np.abs(values)
            found[f"half_width_{label}"] = half
            found[f"half_width_{label}_percent"] = np.where(np.isfinite(share), share, np.nan)
    return found


def totals_of(
    items: Iterable[ItemPublication], groups: Sequence[GroupTotals], cadence: Cadence, wanted: Wanted
) -> pd.DataFrame:
    """Totals of items and of groups, a row per step."""
    found = [
        GroupTotals(
            group=ITEM,
            name=one.item,
            items=1,
            origin=one.origin,
            totals=one.totals,
            bands=one.total_bands,
            tested=one.tested,
        )
        for one in items
        if one.totals is not None and one.total_bands is not None
    ]
    none = np.empty((len(wanted.all_levels), 0))
    nothing = GroupTotals(
        group="",
        name="",
        items=0,
        origin=0,
        totals=np.empty(0),
        bands=Bands(none, none, ("model",) * len(wanted.all_levels), range(0)),
        tested=range(0),
    )
    # Where nothing is available there are the same columns, without rows.
    return _table([_total_block(one, cadence, wanted) for one in [*found, *groups] or [nothing]])


def _total_block(one: GroupTotals, cadence: Cadence, wanted: Wanted) -> dict[str, Any]:
    """The columns of one total, a value per step."""
    n = one.totals.size
    steps = list(range(1, n + 1))
    return {
        "group": [one.group] * n,
        "name": [one.name] * n,
        "items": np.full(n, one.items),
        "step": steps,
        "period": cadence.starts(np.arange(one.origin + 1, one.origin + 1 + n)),
        **wanted.columns(one.bands.lower, one.bands.upper, forecast=one.totals),
        "intervals": [one.bands.words(wanted.all_levels, step) for step in steps],
        "tested": [step in one.tested for step in steps],
    }
