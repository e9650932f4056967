"""Measures of a trial per group, and the standings."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Literal

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.backtest.rivalry import versus_first
from veridex.core.methods.status import Status
from veridex.core.scoring.levels import level_label
from veridex.core.scoring.measures import MEASURES, cell_terms, interval_terms, measures_from_sums
from veridex.errors import MeasureUnknown, ParameterError

if TYPE_CHECKING:
    from veridex.core.backtest.trial import Trial

__all__ = ["badness", "scores", "standings"]

FloatArray = NDArray[np.float64]

GROUPS = ("item", "method", "origin", "step", "phase")
INTERVAL_MEASURES = ("coverage", "width", "interval_score", "pinball")
RELATIVE = ("relative_mae", "relative_rmse")
GAIN_MEASURES = ("mae", "mse", "rmse", "mape", "smape", "wape", "mase", "rmsse", "theils_u", *RELATIVE)
VOLUME = "_volume"


@np.errstate(all="ignore")
def scores(
    trial: "Trial",
    groups: tuple[str, ...],
    scope: str,
    *,
    common: bool = False,
    weights: Literal["items", "volume"] = "items",
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
    indices, terms, extra = _training_terms(trial) if scope == "training" else _holdout_terms(trial, common)
    for name in groups:
        if name in columns:
            labels = trial.history.items[name].to_numpy()
            indices[name] = labels[indices["item"]]
    return _named(trial, _grouped(groups, indices, terms, extra, weights), groups)


def _holdout_terms(trial: "Trial", common: bool) -> tuple[dict[str, Any], FloatArray, dict[str, FloatArray]]:
    a = trial.arrays
    i, m, o, h = trial._cells(with_forecast_only=True)
    if common:
        keep = trial.common_cells[i, o, h]
        i, m, o, h = i[keep], m[keep], o[keep], h[keep]
    actual = a.actuals[i, o, h]
    centres = np.array([np.nanmean(one.values) if (~np.isnan(one.values)).any() else 0.0 for one in trial.history])
    scale = (a.scales[i, o, 0], a.scales[i, o, 1])
    terms = cell_terms(actual, a.points[i, m, o, h], *scale, centres[i], trial.last_known[i, o])
    benchmark = _benchmark_errors(trial)[i, o, h]
    own = np.where(np.isnan(benchmark), np.nan, actual - a.points[i, m, o, h])
    extra = {"_own": np.abs(own), "_own_squared": own**2}
    extra |= {"_benchmark": np.abs(benchmark), "_benchmark_squared": benchmark**2}
    for j, level in enumerate(trial.levels):
        label = level_label(level)
        parts = interval_terms(actual, a.lower[i, m, o, j, h], a.upper[i, m, o, j, h], level)
        extra |= {f"{name}_{label}": part for name, part in zip(INTERVAL_MEASURES, parts, strict=True)}
    phases = (a.origins[i, o] + h + 1) % trial.history.season_length
    return {"item": i, "method": m, "origin": a.origins[i, o], "step": h + 1, "phase": phases}, terms, extra


def _benchmark_errors(trial: "Trial") -> FloatArray:
    """Errors (I, O, H) of the benchmark that each item supports; NaN where it has none."""
    a = trial.arrays
    found = np.full(a.actuals.shape, np.nan)
    for text in reversed(trial.benchmarks):
        errors = a.actuals - a.points[:, trial.method_index(text)]
        has = ~np.isnan(errors).all(axis=(1, 2))
        found[has] = errors[has]
    return found


def _training_terms(trial: "Trial") -> tuple[dict[str, Any], FloatArray, dict[str, FloatArray]]:
    a = trial.arrays
    i, m, o = np.nonzero(a.status <= Status.DONE)
    return {"item": i, "method": m, "origin": a.origins[i, o]}, a.training[i, m, o].T, {}


def _grouped(
    groups: tuple[str, ...],
    indices: dict[str, Any],
    terms: FloatArray,
    extra: dict[str, FloatArray],
    weights: str,
) -> pd.DataFrame:
    """Sum terms per group and item, turn sums into measures, average these over items."""
    keys = pd.DataFrame({**{group: indices[group] for group in groups}, "_item": indices["item"]})
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
    names = [*MEASURES, *(name for name in RELATIVE if name in table.columns), *shown]
    return _averaged(table, groups, names, weights)


def _averaged(table: pd.DataFrame, groups: tuple[str, ...], names: list[str], weights: str) -> pd.DataFrame:
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


def _named(trial: "Trial", table: pd.DataFrame, groups: tuple[str, ...]) -> pd.DataFrame:
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


def _phase_name(trial: "Trial", phase: int) -> str:
    """The name of a period of the season."""
    series = next(iter(trial.history))
    return series.phase_name(phase)


@np.errstate(all="ignore")
def standings(trial: "Trial", measure: str) -> pd.DataFrame:
    """Rank the lineup; see `Trial.standings`, the public face."""
    by_item = trial.common_scores
    ranked = [name for name in by_item.columns if name not in ("item", "method", "n")]
    table = _averaged(by_item, ("method",), ranked, "items")
    if measure not in ranked:
        raise MeasureUnknown(measure, tuple(ranked))
    order = pd.DataFrame({"method": [entered.text for entered in trial.lineup]})
    table = order.merge(table, on="method", how="left")
    a = trial.arrays
    has = ~np.isnan(a.points) & ~np.isnan(a.actuals)[:, None]
    table["items"] = (has & trial.common_cells[:, None]).any(axis=(2, 3)).sum(axis=0)
    table["forecasts"] = has.sum(axis=(0, 2, 3))
    table["n"] = table["n"].fillna(0).astype(np.int64)
    table["parameters"] = [_mean(a.parameters[:, m]) for m in range(len(trial.lineup))]
    training = scores(trial, ("method",), "training").set_index("method")
    if measure in training.columns:
        table[f"training_{measure}"] = table["method"].map(training[measure])
    goodness = badness(measure, table[measure])
    base = float(goodness[trial.method_index(trial.benchmarks[0])])
    if measure in GAIN_MEASURES:
        table["value_added"] = 100.0 * (1.0 - table[measure] / base)
    table = table.iloc[np.lexsort((table["parameters"], goodness.fillna(np.inf)))].reset_index(drop=True)
    table.insert(0, "rank", np.arange(1, len(table) + 1))
    leading = ["rank", "method", "n", "items", "forecasts", measure, f"training_{measure}", "value_added", "parameters"]
    leading = [name for name in leading if name in table.columns]
    table = table[leading + [name for name in table.columns if name not in leading]]
    return table.join(versus_first(trial, table["method"].tolist(), measure))


def badness(measure: str, values: "pd.Series[float]") -> "pd.Series[float]":
    """Turn a measure into something of which less is better."""
    if measure in ("me", "mpe", "bias", "tracking_signal"):
        return values.abs()
    if measure in ("correlation", "accuracy"):
        return -values
    if measure.startswith("coverage_"):
        return (values - float(measure.removeprefix("coverage_").replace("_", "."))).abs()
    return values


def _mean(values: FloatArray) -> float:
    known = values[~np.isnan(values)]
    return float(known.mean()) if known.size else np.nan
