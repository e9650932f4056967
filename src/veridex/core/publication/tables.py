"""The tables of a publication, made of what is published for its items."""

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Bands, Wanted
from veridex.core.calibration.totals import Totals
from veridex.core.periods.cadence import Cadence
from veridex.core.publication.dossier import BENCHMARK, VERDICT, GroupTotals, ItemPublication, Outlook
from veridex.core.scoring.levels import level_label

__all__ = ["ITEM", "frame_of", "totals_of"]

ITEM = "item"
"""What the group of an item's own total is called."""

BESIDE = (BENCHMARK, VERDICT)

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
    numbers = _numbers(wanted, one.past, np.full(n, np.nan), Bands.missing(wanted, n))
    return {
        **_leading(one, cadence, one.origin - n + 1, "actual", [pd.NA] * n),
        **_around(numbers),
        "method": [None] * n,
        "tested": [pd.NA] * n,
        "reason": [""] * n,
        "scenario": [""] * n,
        **_appended(numbers),
        "intervals": [""] * n,
        "caution": [""] * n,
        **dict.fromkeys(BESIDE, np.full(n, np.nan)),
    }


def _ahead_block(one: ItemPublication, cadence: Cadence, wanted: Wanted, outlook: Outlook | None) -> dict[str, Any]:
    """The lead times of a forecast; rows without numbers where there is none."""
    n = max(one.horizon, 0)
    steps = list(range(1, n + 1))
    if outlook is not None:
        numbers, kind = _numbers(wanted, outlook.points, outlook.std_error, outlook.bands), outlook.bands.kind
    else:
        nothing = np.full(n, np.nan)
        numbers, kind = _numbers(wanted, nothing, nothing, Bands.missing(wanted, n)), ""
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
        "intervals": [kind] * n,
        "caution": ["; ".join(caution.why for caution in one.cautions)] * n,
        **_beside(one, n, other),
    }


def _beside(one: ItemPublication, n: int, other: bool) -> dict[str, FloatArray]:
    """What was kept beside the forecast; nothing beside another future of the drivers."""
    kept = {} if other else {rival.role: rival.points for rival in one.beside}
    return {role: kept.get(role, np.full(n, np.nan)) for role in BESIDE}


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


def _numbers(wanted: Wanted, values: FloatArray, std_error: FloatArray, bands: Bands) -> dict[str, FloatArray]:
    """Value, standard error, bounds and quantiles, and the half-widths of the intervals."""
    found = {"value": values, "std_error": std_error, **wanted.columns(bands)}
    with np.errstate(all="ignore"):
        for level, lower, upper in zip(wanted.levels, bands.lower, bands.upper, strict=True):
            label = level_label(level)
            half = 0.5 * (upper - lower)
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
            members=(one.item,),
            origin=one.origin,
            totals=_total_of(one, wanted),
            tested=one.tested,
        )
        for one in items
        if one.horizon > 0
    ]
    nothing = Totals(points=np.empty(0), bands=Bands.missing(wanted, 0))
    empty = GroupTotals(group="", name="", members=(), origin=0, totals=nothing, tested=range(0))
    # Where nothing is available there are the same columns, without rows.
    return _table([_total_block(one, cadence, wanted) for one in [*found, *groups] or [empty]])


def _total_of(one: ItemPublication, wanted: Wanted) -> Totals:
    """An item's total; of one without a forecast why there is none."""
    if one.totals is not None:
        return one.totals
    bands = Bands.missing(wanted, one.horizon)
    return Totals(points=np.full(one.horizon, np.nan), bands=bands, reason=one.reason)


def _total_block(one: GroupTotals, cadence: Cadence, wanted: Wanted) -> dict[str, Any]:
    """The columns of one total, a value per step from the one that totals begin with."""
    n, bands = one.totals.points.size, one.totals.bands
    steps = list(range(wanted.first, n + 1))
    at = slice(wanted.first - 1, None)
    shown = Bands(bands.lower[:, at], bands.upper[:, at], bands.quantiles[:, at], bands.kind)
    return {
        "group": [one.group] * len(steps),
        "name": [one.name] * len(steps),
        "items": np.full(len(steps), len(one.members)),
        "step": steps,
        "period": cadence.starts(np.arange(one.origin + wanted.first, one.origin + 1 + n)),
        **wanted.columns(shown, forecast=one.totals.points[at]),
        "intervals": [bands.kind] * len(steps),
        "tested": [step in one.tested for step in steps],
        "first_step": np.full(len(steps), wanted.first),
        "reason": [one.totals.reason] * len(steps),
    }
