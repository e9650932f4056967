"""`Trial`: everything a backtest produced, as dense arrays; tables are built when asked for."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.backtest.arrays import TrialArrays
from veridex.core.backtest.schemes import Scheme
from veridex.core.diagnosis.audit import Audit, audit_errors
from veridex.core.history.history import History
from veridex.core.methods.catalogue import Method
from veridex.core.methods.levels import bound_columns
from veridex.core.methods.status import Status, reason_for
from veridex.core.preparation.regressors import Explaining
from veridex.core.scoring.measures import MEASURES, cell_terms, interval_terms, measures_from_sums
from veridex.errors import ParameterError

__all__ = ["Trial"]

FloatArray = NDArray[np.float64]
GROUPS = ("item", "method", "origin", "step")


@dataclass(frozen=True, eq=False, kw_only=True)
class Trial:
    """Everything a backtest produced.

    Attributes
    ----------
    history : History
    lineup : tuple of Method
    scheme : RollingOrigin or Holdout
    levels : tuple of float
        Interval levels in percent.
    notes : tuple of str
        What was added or could not be done.
    explaining : Explaining
        Drivers and events; with perfect foresight every table has a column that says so.
    arrays : TrialArrays
    """

    history: History
    lineup: tuple[Method, ...]
    scheme: Scheme
    levels: tuple[float, ...]
    notes: tuple[str, ...] = field(default=(), repr=False)
    explaining: Explaining = field(default_factory=Explaining, repr=False)
    arrays: TrialArrays = field(repr=False)

    @property
    def benchmarks(self) -> tuple[str, ...]:
        """The methods that must be beaten: the first that an item supports counts."""
        return ("seasonal-naive", "naive") if self.history.cycle_length > 1 else ("naive",)

    def method_index(self, text: str) -> int:
        """Where a method stands in the lineup.

        Raises
        ------
        ParameterError
            If it was not entered.
        """
        texts = [entered.text for entered in self.lineup]
        if text not in texts:
            raise ParameterError("method", repr(text), f"the trial has {', '.join(texts)}")
        return texts.index(text)

    @cached_property
    def errors(self) -> pd.DataFrame:
        """A row per item, method, origin and step: actual, forecast, bounds, and the reason where there is none."""
        a = self.arrays
        i, m, o, h = self._cells(with_forecast_only=False)
        cadence = self.history.cadence
        columns: dict[str, Any] = {
            "item": np.array(self.history.names, dtype=object)[i],
            "method": np.array([entered.text for entered in self.lineup], dtype=object)[m],
            "origin": cadence.starts(a.origins[i, o]),
            "period": cadence.starts(a.origins[i, o] + h + 1),
            "step": h + 1,
            "actual": a.actuals[i, o, h],
            "forecast": a.points[i, m, o, h],
            "stderr": a.stderr[i, m, o, h],
        }
        bounds = [side[i, m, o, level, h] for level in range(len(self.levels)) for side in (a.lower, a.upper)]
        columns |= dict(zip(bound_columns(self.levels), bounds, strict=True))
        columns["reason"] = self._reasons(m, a.status[i, m, o])
        return self._said(pd.DataFrame(columns))

    def _said(self, table: pd.DataFrame) -> pd.DataFrame:
        """The table, with a column that says so where drivers were seen before their time."""
        return table.assign(foresight="perfect") if self.explaining.perfect else table

    def _reasons(self, methods: NDArray[np.int64], status: NDArray[np.int8]) -> NDArray[np.object_]:
        """The reason of each cell; few differ, so each is put into words once."""
        pairs, where = np.unique(np.stack((methods, status)), axis=1, return_inverse=True)
        words: NDArray[np.object_] = np.array([reason_for(int(c), self._needs[m]) for m, c in pairs.T], dtype=object)
        chosen: NDArray[np.object_] = words[where.ravel()]
        return chosen

    def audit(self, item: str, method: str, step: int = 1) -> Audit:
        """Audit the holdout errors of one method on one item at one lead time, in order of origin.

        Raises
        ------
        ItemUnknown, ParameterError
            If the trial has no such item or method, or did not look so far ahead.
        """
        series, m = self.history[item], self.method_index(method)
        if not 1 <= step <= self.arrays.actuals.shape[2]:
            raise ParameterError("step", str(step), f"the trial looked {self.arrays.actuals.shape[2]} ahead")
        i = self.history.names.index(item)
        tried = self.arrays.status[i, m] != Status.NO_FOLD
        periods = self.arrays.origins[i][tried] + step
        if not periods.size:
            return Audit(item=item, method=method, scope="holdout", reason="no origin was tested")
        errors = np.full(int(periods.max() - periods.min()) + 1, np.nan)
        cell = (i, slice(None), step - 1)
        errors[periods - periods.min()] = (self.arrays.actuals[cell] - self.arrays.points[i, m, :, step - 1])[tried]
        return audit_errors(errors, series, int(periods.min()), method, "holdout")

    @cached_property
    def _needs(self) -> list[str]:
        cycle = self.history.cycle_length
        return [one.family.needs(one.family.prepare(one.settings, cycle, 1, ())) for one in self.lineup]

    @property
    def timings(self) -> pd.DataFrame:
        """A row per method: folds fitted, milliseconds in all, and of the median fold.

        The total holds the loading of compiled code at its first use; the median does not feel it.
        """
        done = self.arrays.status != Status.NO_FOLD
        spent = [1e3 * self.arrays.seconds[:, m][done[:, m]] for m in range(len(self.lineup))]
        return pd.DataFrame(
            {
                "method": [entered.text for entered in self.lineup],
                "folds": [folds.size for folds in spent],
                "ms": [folds.sum() for folds in spent],
                "ms_per_fold": [float(np.median(folds)) if folds.size else np.nan for folds in spent],
            }
        )

    def _cells(self, *, with_forecast_only: bool) -> tuple[NDArray[np.int64], ...]:
        """Indices (item, method, origin, step) of cells with an actual period, and a forecast if so asked."""
        a = self.arrays
        folds = (a.status != Status.NO_FOLD)[..., None] & np.ones(a.points.shape[-1], dtype=bool)
        if with_forecast_only:
            folds &= ~np.isnan(a.points) & ~np.isnan(a.actuals)[:, None]
        else:
            steps = np.arange(a.points.shape[-1])
            reached = (steps < self._horizons[..., None]) & (steps >= getattr(self.scheme, "gap", 0))
            folds &= reached[:, None]
        return np.nonzero(folds)

    @cached_property
    def _horizons(self) -> NDArray[np.int64]:
        """Periods forecast per item and origin."""
        horizons = np.zeros(self.arrays.origins.shape, dtype=np.int64)
        for i, series in enumerate(self.history):
            for o, fold in enumerate(self.scheme.folds(series)):
                horizons[i, o] = fold.horizon
        return horizons

    @np.errstate(all="ignore")
    def scores(
        self,
        by: Sequence[str] | str = ("method",),
        scope: Literal["holdout", "training"] = "holdout",
        *,
        common: bool = False,
    ) -> pd.DataFrame:
        """Measures of error per group.

        Within an item all cells of a group are pooled; a figure over several items is the mean of the items
        that have it. Each method is scored on the cells it has.

        Parameters
        ----------
        by : sequence of {"item", "method", "origin", "step"}
        scope : {"holdout", "training"}
            Forecasts against later actuals, or one-step errors inside the training spans (which have no
            step and no intervals).
        common : bool
            Use only the cells that every available method has.

        Returns
        -------
        DataFrame
            The grouping columns, n (cells), the measures by lower-case name, and coverage, width and interval
            score of each level.

        Raises
        ------
        ParameterError
            If a group or the scope is unknown.
        """
        groups = (by,) if isinstance(by, str) else tuple(by)
        allowed = GROUPS if scope == "holdout" else GROUPS[:-1]
        if scope not in ("holdout", "training"):
            raise ParameterError("scope", repr(scope), "it is 'holdout' or 'training'")
        if not groups or any(group not in allowed for group in groups):
            raise ParameterError("by", repr(groups), f"group the {scope} scope by some of {', '.join(allowed)}")
        indices, terms, extra = self._training_terms() if scope == "training" else self._holdout_terms(common=common)
        return self._said(self._grouped(groups, indices, terms, extra))

    def _holdout_terms(self, *, common: bool) -> tuple[dict[str, Any], FloatArray, dict[str, FloatArray]]:
        a = self.arrays
        i, m, o, h = self._cells(with_forecast_only=True)
        if common:
            keep = self.common_cells[i, o, h]
            i, m, o, h = i[keep], m[keep], o[keep], h[keep]
        actual = a.actuals[i, o, h]
        centres = np.array([np.nanmean(one.values) if (~np.isnan(one.values)).any() else 0.0 for one in self.history])
        terms = cell_terms(actual, a.points[i, m, o, h], a.scales[i, o, 0], a.scales[i, o, 1], centres[i])
        extra: dict[str, FloatArray] = {}
        for j, level in enumerate(self.levels):
            label = bound_columns((level,))[0].removeprefix("lower_")
            parts = interval_terms(actual, a.lower[i, m, o, j, h], a.upper[i, m, o, j, h], level)
            extra |= {f"{name}_{label}": part for name, part in zip(INTERVAL_MEASURES, parts, strict=True)}
        return {"item": i, "method": m, "origin": a.origins[i, o], "step": h + 1}, terms, extra

    def _training_terms(self) -> tuple[dict[str, Any], FloatArray, dict[str, FloatArray]]:
        a = self.arrays
        i, m, o = np.nonzero(a.status <= Status.DONE)
        return {"item": i, "method": m, "origin": a.origins[i, o]}, a.training[i, m, o].T, {}

    @cached_property
    def common_cells(self) -> NDArray[np.bool_]:
        """Cells (I, O, H) with an actual that every method forecast; one without any forecast at all is left aside."""
        a = self.arrays
        has = ~np.isnan(a.points)
        idle = ~has.any(axis=(0, 2, 3), keepdims=True)
        common: NDArray[np.bool_] = (has | idle).all(axis=1) & has.any(axis=1) & ~np.isnan(a.actuals)
        return common

    def _grouped(
        self,
        groups: tuple[str, ...],
        indices: dict[str, Any],
        terms: FloatArray,
        extra: dict[str, FloatArray],
    ) -> pd.DataFrame:
        """Sum terms per group and item, turn sums into measures, average these over items."""
        keys = pd.DataFrame({**{group: indices[group] for group in groups}, "_item": indices["item"]})
        cells = keys.groupby(list(keys.columns), sort=True).ngroup().to_numpy()
        table = keys.drop_duplicates().sort_values(list(keys.columns), ignore_index=True)
        count = len(table)
        sums = np.stack([np.bincount(cells, weights=term, minlength=count).astype(np.float64) for term in terms])
        n = sums[0]
        for name, values in measures_from_sums(sums).items():
            table[name] = values
        for name, values in extra.items():
            table[name] = np.bincount(cells, weights=values, minlength=count) / n
        table.insert(len(groups), "n", n.astype(np.int64))
        names = [*MEASURES, *extra]
        grouped = table.groupby(list(groups), sort=True)
        result = grouped[names].mean()  # skips items that do not have a measure
        result.insert(0, "n", grouped["n"].sum())
        return self._named(result.reset_index(), groups)

    def _named(self, table: pd.DataFrame, groups: tuple[str, ...]) -> pd.DataFrame:
        """Put names and stamps in place of indices."""
        if "item" in groups:
            table["item"] = [self.history.names[i] for i in table["item"]]
        if "method" in groups:
            table["method"] = [self.lineup[m].text for m in table["method"]]
        if "origin" in groups:
            table["origin"] = self.history.cadence.starts(table["origin"].to_numpy())
        return table

    @np.errstate(all="ignore")
    def standings(self, measure: str = "mase") -> pd.DataFrame:
        """Rank the lineup on the cells that every method has.

        Returns
        -------
        DataFrame
            Rank, method, n (the cells that every method has, on which all are ranked) and items among them,
            forecasts (the cells the method itself has), the measure, its training figure and the gain over the
            benchmark in percent, parameters, then all other measures. A method without forecasts has none of
            them and stands last.

        Raises
        ------
        ParameterError
            If the measure is unknown.
        """
        table = self.scores(by="method", common=True)
        ranked = [name for name in table.columns if name not in ("method", "n", "foresight")]
        if measure not in ranked:
            raise ParameterError("measure", repr(measure), f"rank by one of {', '.join(ranked)}")
        order = pd.DataFrame({"method": [entered.text for entered in self.lineup]})
        table = order.merge(table, on="method", how="left")
        a = self.arrays
        has = ~np.isnan(a.points) & ~np.isnan(a.actuals)[:, None]
        table["items"] = (has & self.common_cells[:, None]).any(axis=(2, 3)).sum(axis=0)
        table["forecasts"] = has.sum(axis=(0, 2, 3))
        table["n"] = table["n"].fillna(0).astype(np.int64)
        table["parameters"] = [_mean(a.parameters[:, m]) for m in range(len(self.lineup))]
        training = self.scores(by="method", scope="training").set_index("method")
        if measure in training.columns:
            table[f"training_{measure}"] = table["method"].map(training[measure])
        goodness = _badness(measure, table[measure])
        base = float(goodness[self.method_index(self.benchmarks[0])])
        if measure in GAIN_MEASURES:
            table["gain"] = 100.0 * (1.0 - table[measure] / base)
        table = table.iloc[np.lexsort((table["parameters"], goodness.fillna(np.inf)))].reset_index(drop=True)
        table.insert(0, "rank", np.arange(1, len(table) + 1))
        leading = [
            "rank",
            "method",
            "n",
            "items",
            "forecasts",
            measure,
            f"training_{measure}",
            "gain",
            "parameters",
        ]
        leading = [name for name in leading if name in table.columns]
        return table[leading + [name for name in table.columns if name not in leading]]


INTERVAL_MEASURES = ("coverage", "width", "interval_score")
GAIN_MEASURES = ("mae", "mse", "rmse", "mape", "smape", "wape", "mase", "rmsse")


def _badness(measure: str, values: "pd.Series[float]") -> "pd.Series[float]":
    """Turn a measure into something of which less is better."""
    if measure in ("me", "mpe"):
        return values.abs()
    if measure in ("correlation", "accuracy"):
        return -values
    if measure.startswith("coverage_"):
        return (values - float(measure.removeprefix("coverage_").replace("_", "."))).abs()
    return values


def _mean(values: FloatArray) -> float:
    known = values[~np.isnan(values)]
    return float(known.mean()) if known.size else np.nan
