"""Measures of a trial per group."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import pandas as pd

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.backtest.failed import with_failed
from veridex.core.backtest.results import Block, Results
from veridex.core.methods.fold.status import Status
from veridex.core.scoring.levels import level_label
from veridex.core.scoring.measures import TERMS, grouped_sums, interval_terms, measures_from_sums
from veridex.core.scoring.tracking import tracking_limit, tracking_signals
from veridex.errors import ParameterError

__all__ = ["INTERVAL_MEASURES", "Cells", "averaged", "by_item", "measure_by_origin", "scores"]


SCOPES = ("training", "holdout", "pooled", "both")
GROUPS = ("item", "method", "origin", "step", "phase")
INTERVAL_MEASURES = ("coverage", "width", "interval_score", "pinball")
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
    keys = {name: trial.history.items[name].to_numpy() for name in groups if name in columns}
    parts = []
    for block in trial.blocks():
        cells = _cells(trial, block, scope, common, intervals)
        indices = cells.indices | {name: labels[cells.indices["item"]] for name, labels in keys.items()}
        parts.append(by_item(groups, cells, indices))
    table = pd.concat(parts, ignore_index=True).sort_values([*groups, ITEM], ignore_index=True)
    names = [name for name in table.columns if name not in (*groups, ITEM, "n", VOLUME)]
    table = averaged(table, groups, names, weights)
    return _named(trial, with_failed(trial, table, groups) if failed else table, groups)


@dataclass(frozen=True, slots=True, eq=False)
class Cells:
    """Cells of a block: where each stands, what the terms of its error are made of, further columns that add up.

    Attributes
    ----------
    indices : dict of str to ndarray
        Item, method, origin, step and phase of each cell.
    numbers : ndarray, shape (CELL, cells)
    extra : dict of str to ndarray
        Those that begin with a stroke are not columns themselves.
    """

    indices: dict[str, Any]
    numbers: FloatArray
    extra: dict[str, FloatArray]

    def where(self, kept: BoolArray) -> "Cells":
        """Some of them."""
        indices, extra = ({k: v[kept] for k, v in one.items()} for one in (self.indices, self.extra))
        return Cells(indices, self.numbers[:, kept], extra)

    @property
    def errors(self) -> FloatArray:
        """Actual less forecast."""
        return np.asarray(self.numbers[0] - self.numbers[1])

    def summed(self, groups: IntArray, count: int) -> FloatArray:
        """Sums (TERMS, count) of their terms by group."""
        sums = np.empty((count, TERMS))
        grouped_sums(self.numbers, groups, sums)
        return sums.T


@dataclass(frozen=True, slots=True, eq=False)
class TrainingCells:
    """Training spans of a block: where each stands, and the sums (TERMS, spans) of its one-step errors."""

    indices: dict[str, Any]
    terms: FloatArray

    def summed(self, groups: IntArray, count: int) -> FloatArray:
        """Sums (TERMS, count) by group."""
        return np.stack([_total(term, groups, count) for term in self.terms])


@dataclass(frozen=True, slots=True, eq=False)
class PooledCells:
    """Training spans and holdout cells of a block together."""

    training: TrainingCells
    holdout: Cells

    @property
    def indices(self) -> dict[str, Any]:
        """Item, method and origin of each, training spans first."""
        both = self.training.indices, self.holdout.indices
        return {name: np.concatenate((both[0][name], both[1][name])) for name in both[0]}

    def summed(self, groups: IntArray, count: int) -> FloatArray:
        """Sums (TERMS, count) by group."""
        spans = self.training.terms.shape[1]
        return self.training.summed(groups[:spans], count) + self.holdout.summed(groups[spans:], count)


def _cells(
    trial: Results, block: Block, scope: str, common: bool, intervals: bool
) -> Cells | TrainingCells | PooledCells:
    """What a scope looks at."""
    if scope == "holdout":
        return _holdout_cells(trial, block, common, intervals)
    training = _training_cells(block)
    return training if scope == "training" else PooledCells(training, _holdout_cells(trial, block, common, False))


def _total(values: FloatArray, groups: IntArray, count: int) -> FloatArray:
    return np.bincount(groups, weights=values, minlength=count).astype(np.float64)


@np.errstate(all="ignore")
def measure_by_origin(trial: Results, measure: str, step: int | None = None) -> FloatArray:
    """A measure (items, methods, origins) on the cells that every method has, or of one lead time; NaN where none.

    Origins are those of all items, by the calendar: what items have in common happens to them at the same time.
    """
    tested = [block.arrays.origins[block.common.any(axis=2)] for block in trial.blocks()]
    periods = np.unique(np.concatenate(tested))
    parts = []
    for block in trial.blocks():
        cells = _holdout_cells(trial, block, True, measure.startswith(INTERVAL_MEASURES))
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
        return _total(cells.extra[measure], groups, count) / np.bincount(groups, minlength=count)
    if measure in RELATIVE:
        part, root = ("_squared", 0.5) if measure == "relative_rmse" else ("", 1.0)
        sums = (np.nan_to_num(cells.extra[f"{name}{part}"]) for name in ("_own", "_benchmark"))
        own, base = (_total(one, groups, count) for one in sums)
        return np.asarray((own / base) ** root)
    return np.asarray(measures_from_sums(cells.summed(groups, count))[measure])


def _holdout_cells(trial: Results, block: Block, common: bool, intervals: bool) -> Cells:
    a = block.arrays
    tried = (a.status != Status.NO_FOLD)[..., None] & ~np.isnan(a.points) & ~np.isnan(a.actuals)[:, None]
    i, m, o, h = np.nonzero(tried & block.common[:, None] if common else tried)
    actual = a.actuals[i, o, h]
    own_values = [trial.history.at(block.first + k).values for k in range(a.origins.shape[0])]
    centres = np.array([np.nanmean(one) if (~np.isnan(one)).any() else 0.0 for one in own_values])
    scales = a.scales[i, o]
    points, last = a.points[i, m, o, h], trial.last_known(block)[i, o]
    numbers = np.stack((actual, points, scales[:, 0], scales[:, 1], centres[i], last))
    benchmark = _benchmark_errors(trial, block)[i, o, h]
    own = np.where(np.isnan(benchmark), np.nan, actual - points)
    extra = {"_own": np.abs(own), "_own_squared": own**2}
    extra |= {"_benchmark": np.abs(benchmark), "_benchmark_squared": benchmark**2}
    levels = trial.levels if intervals else ()
    bounds = np.moveaxis(a.bounds(levels), 0, 1) if levels else ()
    for level, (lower, upper) in zip(levels, bounds, strict=True):
        label = level_label(level)
        parts = interval_terms(actual, lower[i, m, o, h], upper[i, m, o, h], level)
        extra |= {f"{name}_{label}": part for name, part in zip(INTERVAL_MEASURES, parts, strict=True)}
    phases = (a.origins[i, o] + h + 1) % trial.history.season_length
    where = {"item": i + block.first, "method": m, "origin": a.origins[i, o], "step": h + 1, "phase": phases}
    return Cells(where, numbers, extra)


def _benchmark_errors(trial: Results, block: Block) -> FloatArray:
    """Errors (I, O, H) of the benchmark that each item supports; NaN where it has none."""
    a = block.arrays
    found = np.full(a.actuals.shape, np.nan)
    for text in reversed(trial.benchmarks):
        errors = a.actuals - a.points[:, trial.method_index(text)]
        has = ~np.isnan(errors).all(axis=(1, 2))
        found[has] = errors[has]
    return found


def _training_cells(block: Block) -> TrainingCells:
    a = block.arrays
    i, m, o = np.nonzero(a.status <= Status.DONE)
    return TrainingCells({"item": i + block.first, "method": m, "origin": a.origins[i, o]}, a.training[i, m, o].T)


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
