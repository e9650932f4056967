"""Measures of a trial per group."""

from collections.abc import Callable, Sequence
from typing import Any, Literal, NamedTuple

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.backtest.cells import (
    INTERVAL_MEASURES,
    Cells,
    PooledCells,
    TrainingCells,
    cells_of,
    holdout_cells,
    total,
)
from veridex.core.backtest.failed import with_failed
from veridex.core.backtest.results import Block, Results
from veridex.core.scoring.measures import measures_from_sums
from veridex.core.scoring.tracking import tracking_limit, tracking_signals
from veridex.errors import ParameterError

__all__ = ["Wanted", "averaged", "by_item", "gathered", "measure_by_origin", "scores"]


SCOPES = ("training", "holdout", "pooled", "both")
GROUPS = ("item", "method", "origin", "step", "phase")
RELATIVE = ("relative_mae", "relative_rmse")
GAIN_MEASURES = ("mae", "mse", "rmse", "mape", "smape", "wape", "mase", "rmsse", "theils_u", *RELATIVE)
ITEM, VOLUME = "_item", "_volume"
SPARSE = 8
"""A grid of more places than so many times the cells is not laid out."""


@np.errstate(all="ignore")
def scores(
    trial: Results,
    groups: tuple[str, ...],
    scope: str,
    *,
    common: bool = False,
    weights: Literal["items", "volume"] = "items",
    intervals: bool = True,
    failed: bool = False,
) -> pd.DataFrame:
    """Measures per group; see `Trial.scores`, the public face.

    With `failed` a method without a cell keeps its rows, and a column says why.
    """
    if scope not in SCOPES:
        raise ParameterError("scope", repr(scope), f"it is one of {', '.join(SCOPES)}")
    if weights not in ("items", "volume"):
        raise ParameterError("weights", repr(weights), "it is 'items' or 'volume'")
    columns = [name for name in trial.history.items.columns if name != "item"]
    allowed = (*(GROUPS if scope == "holdout" else GROUPS[:3]), *columns)
    if not groups or any(group not in allowed for group in groups):
        raise ParameterError("by", repr(groups), f"group the {scope} scope by some of {', '.join(allowed)}")
    if scope == "both":
        parts = [
            scores(trial, groups, one, common=common, weights=weights, failed=failed).assign(scope=one)
            for one in SCOPES[:3]
        ]
        whole = pd.concat(parts, ignore_index=True)
        return whole[[*groups, "scope", *(name for name in whole.columns if name not in (*groups, "scope"))]]
    (table,) = gathered(trial, [Wanted(groups, scope, common, intervals)], weights)
    return _named(trial, with_failed(trial, table, groups) if failed else table, groups)


class Wanted(NamedTuple):
    """A table of measures: by what, of which scope, on common cells only or all, with measures of intervals or not."""

    groups: tuple[str, ...]
    scope: str = "holdout"
    common: bool = True
    intervals: bool = False


@np.errstate(all="ignore")
def gathered(
    trial: Results,
    wanted: Sequence[Wanted],
    weights: Literal["items", "volume"] = "items",
    hear: Callable[[Block], None] = lambda _: None,
) -> list[pd.DataFrame]:
    """Tables of measures, with indices for names, made in one pass over the items; `hear` is told every block."""
    items = trial.history.items
    keys = {name: items[name].to_numpy() for one in wanted for name in one.groups if name in items and name != "item"}
    parts: list[list[pd.DataFrame]] = [[] for _ in wanted]
    for block in trial.blocks():
        hear(block)
        for one, own in zip(wanted, parts, strict=True):
            cells = cells_of(trial, block, one.scope, one.common, one.intervals)
            labels = {name: keys[name][cells.indices["item"]] for name in one.groups if name in keys}
            own.append(by_item(one.groups, cells, cells.indices | labels))
    return [_averaged_over_items(own, one.groups, weights) for own, one in zip(parts, wanted, strict=True)]


def _averaged_over_items(parts: list[pd.DataFrame], groups: tuple[str, ...], weights: str) -> pd.DataFrame:
    table = pd.concat(parts, ignore_index=True).sort_values([*groups, ITEM], ignore_index=True)
    names = [name for name in table.columns if name not in (*groups, ITEM, "n", VOLUME)]
    return averaged(table, groups, names, weights)


@np.errstate(all="ignore")
def measure_by_origin(trial: Results, measure: str, step: int | None = None) -> FloatArray:
    """A measure (items, methods, origins) on the cells that every method has, or of one lead time; NaN where none.

    Origins are those of all items, by the calendar: what items have in common happens to them at the same time.
    """
    tested = [block.arrays.origins[block.common.any(axis=2)] for block in trial.blocks()]
    periods = np.unique(np.concatenate(tested))
    parts = []
    for block in trial.blocks():
        cells = holdout_cells(trial, block, True, measure.startswith(INTERVAL_MEASURES))
        if step is not None:
            cells = cells.where(cells.indices["step"] == step)
        shape = (block.arrays.origins.shape[0], len(trial.lineup), periods.size)
        at = np.searchsorted(periods, cells.indices["origin"])
        code = np.ravel_multi_index((cells.indices["item"] - block.first, cells.indices["method"], at), shape)
        parts.append(_measure(measure, cells, code, int(np.prod(shape))).reshape(shape))
    return np.concatenate(parts)


def _measure(measure: str, cells: Cells, groups: IntArray, count: int) -> FloatArray:
    """One measure of cells that are added up by group."""
    if measure in cells.extra:
        return total(cells.extra[measure], groups, count) / np.bincount(groups, minlength=count)
    if measure in RELATIVE:
        part, root = ("_squared", 0.5) if measure == "relative_rmse" else ("", 1.0)
        sums = (np.nan_to_num(cells.extra[f"{name}{part}"]) for name in ("_own", "_benchmark"))
        own, base = (total(one, groups, count) for one in sums)
        return np.asarray((own / base) ** root)
    return np.asarray(measures_from_sums(cells.summed(groups, count))[measure])


def by_item(
    groups: tuple[str, ...], found: Cells | TrainingCells | PooledCells, indices: dict[str, Any]
) -> pd.DataFrame:
    """Sum terms per group and item, and turn sums into measures: all that a block knows of its items."""
    table, cells = _grouped({**{group: indices[group] for group in groups}, ITEM: indices["item"]})
    count = len(table)

    sums = found.summed(cells, count)
    for name, values in measures_from_sums(sums).items():
        table[name] = values
    if isinstance(found, Cells):
        for name in RELATIVE:
            table[name] = _measure(name, found, cells, count)
        table[list(RELATIVE)] = table[list(RELATIVE)].where(np.isfinite(table[list(RELATIVE)]))
    table["tracking_signal"], table["tracking_limit"] = _tracking(found, cells, count)
    if isinstance(found, Cells):
        for name in found.extra:
            if not name.startswith("_"):
                table[name] = _measure(name, found, cells, count)
    table.insert(len(groups), "n", sums[0].astype(np.int64))
    table[VOLUME] = sums[7]  # sizes of the actuals
    return table


def _grouped(keys: dict[str, Any]) -> tuple[pd.DataFrame, IntArray]:
    """The groups that there are, sorted, and which of them each cell belongs to.

    Cells are counted in a grid of all combinations: most of them are there, and millions need not be sorted.
    """
    places, values = [], []
    for column in keys.values():
        if np.issubdtype(np.asarray(column).dtype, np.integer):
            low, high = (int(column.min()), int(column.max())) if column.size else (0, 0)
            places.append(np.asarray(column - low))
            values.append(np.arange(low, high + 1))
        else:
            place, known = pd.factorize(column, sort=True)
            places.append(place)
            values.append(np.asarray(known))
    shape = tuple(known.size for known in values)
    code = np.ravel_multi_index(places, shape) if places[0].size else np.empty(0, dtype=np.int64)
    if np.prod(shape, dtype=np.float64) > SPARSE * code.size + 1e6:
        groups, cells = np.unique(code, return_inverse=True)
    else:
        there = np.bincount(code, minlength=int(np.prod(shape))) > 0
        groups, cells = np.flatnonzero(there), (np.cumsum(there) - 1)[code]
    where = np.unravel_index(groups, shape)
    table = pd.DataFrame({name: known[at] for name, known, at in zip(keys, values, where, strict=True)})
    return table, np.asarray(cells, dtype=np.int64)


def _tracking(
    found: Cells | TrainingCells | PooledCells, groups: IntArray, count: int
) -> tuple[FloatArray, FloatArray]:
    """The tracking signal of each group, from its errors of the first lead time, and the limit that it should keep."""
    nothing = np.full(count, np.nan)
    if not isinstance(found, Cells) or not groups.size:
        return nothing, nothing
    first = np.flatnonzero(found.indices["step"] == found.indices["step"].min())
    first = first[np.argsort(found.indices["origin"][first], kind="stable")]
    origins = np.bincount(groups[first], minlength=count)
    limits = {n: tracking_limit(n) for n in np.unique(origins).tolist()}
    signals = tracking_signals(found.errors[first], groups[first], count)
    return np.where(origins > 0, signals, np.nan), np.array([limits[n] for n in origins.tolist()])


def averaged(table: pd.DataFrame, groups: tuple[str, ...], names: list[str], weights: str) -> pd.DataFrame:
    """Means over the items that have a measure: plain or by volume, geometric ones of relative measures."""
    logs = [name for name in names if name in RELATIVE]
    table = table.copy()
    with np.errstate(all="ignore"):
        table[logs] = np.log(table[logs].where(table[logs] > 0))
    grouped = table.groupby(list(groups), sort=True)
    if weights == "items":
        result = grouped[names].mean()  # skips items that do not have a measure
    else:
        volume = table[VOLUME].to_numpy()[:, None]
        weighted = table[list(groups)].join(table[names] * volume)
        present = table[list(groups)].join(table[names].notna() * volume)
        shares = present.groupby(list(groups), sort=True)[names].sum()
        result = weighted.groupby(list(groups), sort=True)[names].sum(min_count=1) / shares
    result[logs] = np.exp(result[logs])
    result.insert(0, "n", grouped["n"].sum())
    return result.reset_index()


def _named(trial: Results, table: pd.DataFrame, groups: tuple[str, ...]) -> pd.DataFrame:
    """Put names and stamps in place of indices."""
    named: dict[str, Callable[[Any], Any]] = {
        "item": lambda column: [trial.history.names[i] for i in column],
        "method": lambda column: [trial.lineup[m].text for m in column],
        "origin": lambda column: trial.history.cadence.starts(column.to_numpy()),
        "phase": lambda column: [_phase_name(trial, int(phase)) for phase in column],
    }
    for group in groups:
        if group in named:
            table[group] = named[group](table[group])
    return table


def _phase_name(trial: Results, phase: int) -> str:
    """The name of a period of the season."""
    series = next(iter(trial.history))
    return series.phase_name(phase)
