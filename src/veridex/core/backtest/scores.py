"""Measures of a trial per group."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.backtest.results import Block, Results
from veridex.core.methods.fold.status import Status
from veridex.core.scoring.levels import level_label
from veridex.core.scoring.measures import cell_terms, interval_terms, measures_from_sums
from veridex.errors import ParameterError

__all__ = ["averaged", "scores"]


GROUPS = ("item", "method", "origin", "step", "phase")
INTERVAL_MEASURES = ("coverage", "width", "interval_score", "pinball")
RELATIVE = ("relative_mae", "relative_rmse")
GAIN_MEASURES = ("mae", "mse", "rmse", "mape", "smape", "wape", "mase", "rmsse", "theils_u", *RELATIVE)
ITEM, VOLUME = "_item", "_volume"


@np.errstate(all="ignore")
def scores(
    trial: Results,
    groups: tuple[str, ...],
    scope: str,
    *,
    common: bool = False,
    weights: Literal["items", "volume"] = "items",
    intervals: bool = True,
) -> pd.DataFrame:
    """Measures per group; see `Trial.scores`, the public face."""
    if scope not in ("holdout", "training", "both"):
        raise ParameterError("scope", repr(scope), "it is 'holdout', 'training' or 'both'")
    if weights not in ("items", "volume"):
        raise ParameterError("weights", repr(weights), "it is 'items' or 'volume'")
    columns = [name for name in trial.history.items.columns if name != "item"]
    allowed = (*(GROUPS if scope == "holdout" else GROUPS[:3]), *columns)
    if not groups or any(group not in allowed for group in groups):
        raise ParameterError("by", repr(groups), f"group the {scope} scope by some of {', '.join(allowed)}")
    if scope == "both":
        parts = [
            scores(trial, groups, one, common=common, weights=weights).assign(scope=one)
            for one in ("training", "holdout")
        ]
        whole = pd.concat(parts, ignore_index=True)
        return whole[[*groups, "scope", *(name for name in whole.columns if name not in (*groups, "scope"))]]
    keys = {name: trial.history.items[name].to_numpy() for name in groups if name in columns}
    parts = []
    for block in trial.blocks():
        cells = _training_cells(block) if scope == "training" else _holdout_cells(trial, block, common, intervals)
        cells.indices.update({name: labels[cells.indices["item"]] for name, labels in keys.items()})
        parts.append(_by_item(groups, cells))
    table = pd.concat(parts, ignore_index=True).sort_values([*groups, ITEM], ignore_index=True)
    names = [name for name in table.columns if name not in (*groups, ITEM, "n", VOLUME)]
    return _named(trial, averaged(table, groups, names, weights), groups)


@dataclass(frozen=True, slots=True, eq=False)
class Cells:
    """Cells of a block: where each stands, the terms of its error, further columns that add up.

    Attributes
    ----------
    indices : dict of str to ndarray
        Item, method, origin, step and phase of each cell.
    terms : ndarray, shape (TERMS, cells)
    extra : dict of str to ndarray
        Those that begin with a stroke are not columns themselves.
    """

    indices: dict[str, Any]
    terms: FloatArray
    extra: dict[str, FloatArray]


def _holdout_cells(trial: Results, block: Block, common: bool, intervals: bool) -> Cells:
    a = block.arrays
    tried = (a.status != Status.NO_FOLD)[..., None] & ~np.isnan(a.points) & ~np.isnan(a.actuals)[:, None]
    i, m, o, h = np.nonzero(tried & block.common[:, None] if common else tried)
    actual = a.actuals[i, o, h]
    own_values = [trial.history.at(block.first + k).values for k in range(a.origins.shape[0])]
    centres = np.array([np.nanmean(one) if (~np.isnan(one)).any() else 0.0 for one in own_values])
    scale = (a.scales[i, o, 0], a.scales[i, o, 1])
    terms = cell_terms(actual, a.points[i, m, o, h], *scale, centres[i], trial.last_known(block)[i, o])
    benchmark = _benchmark_errors(trial, block)[i, o, h]
    own = np.where(np.isnan(benchmark), np.nan, actual - a.points[i, m, o, h])
    extra = {"_own": np.abs(own), "_own_squared": own**2}
    extra |= {"_benchmark": np.abs(benchmark), "_benchmark_squared": benchmark**2}
    levels = trial.levels if intervals else ()
    for level, (lower, upper) in zip(levels, np.moveaxis(a.bounds(levels), 0, 1), strict=True):
        label = level_label(level)
        parts = interval_terms(actual, lower[i, m, o, h], upper[i, m, o, h], level)
        extra |= {f"{name}_{label}": part for name, part in zip(INTERVAL_MEASURES, parts, strict=True)}
    phases = (a.origins[i, o] + h + 1) % trial.history.season_length
    where = {"item": i + block.first, "method": m, "origin": a.origins[i, o], "step": h + 1, "phase": phases}
    return Cells(where, terms, extra)


def _benchmark_errors(trial: Results, block: Block) -> FloatArray:
    """Errors (I, O, H) of the benchmark that each item supports; NaN where it has none."""
    a = block.arrays
    found = np.full(a.actuals.shape, np.nan)
    for text in reversed(trial.benchmarks):
        errors = a.actuals - a.points[:, trial.method_index(text)]
        has = ~np.isnan(errors).all(axis=(1, 2))
        found[has] = errors[has]
    return found


def _training_cells(block: Block) -> Cells:
    a = block.arrays
    i, m, o = np.nonzero(a.status <= Status.DONE)
    return Cells({"item": i + block.first, "method": m, "origin": a.origins[i, o]}, a.training[i, m, o].T, {})


def _by_item(groups: tuple[str, ...], found: Cells) -> pd.DataFrame:
    """Sum terms per group and item, and turn sums into measures: all that a block knows of its items."""
    terms, extra = found.terms, found.extra
    keys = pd.DataFrame({**{group: found.indices[group] for group in groups}, ITEM: found.indices["item"]})
    cells = keys.groupby(list(keys.columns), sort=True).ngroup().to_numpy()
    table = keys.drop_duplicates().sort_values(list(keys.columns), ignore_index=True)
    count = len(table)

    def total(values: FloatArray) -> FloatArray:
        return np.bincount(cells, weights=values, minlength=count).astype(np.float64)

    sums = np.stack([total(term) for term in terms])
    n = sums[0]
    for name, values in measures_from_sums(sums).items():
        table[name] = values
    if "_own" in extra:
        known = {name: np.nan_to_num(values) for name, values in extra.items() if name.startswith("_")}
        with np.errstate(all="ignore"):
            table["relative_mae"] = total(known["_own"]) / total(known["_benchmark"])
            table["relative_rmse"] = np.sqrt(total(known["_own_squared"]) / total(known["_benchmark_squared"]))
        table[list(RELATIVE)] = table[list(RELATIVE)].where(np.isfinite(table[list(RELATIVE)]))
    shown = {name: values for name, values in extra.items() if not name.startswith("_")}
    for name, values in shown.items():
        table[name] = total(values) / n
    table.insert(len(groups), "n", n.astype(np.int64))
    table[VOLUME] = total(terms[7])  # sizes of the actuals
    return table


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
