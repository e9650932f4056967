"""`Trial`: everything a backtest produced, as dense arrays; tables are built when asked for."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.backtest.arrays import TrialArrays
from veridex.core.backtest.pace import Pace
from veridex.core.backtest.rivalry import compare_two, overfit_alarms, rank_table
from veridex.core.backtest.schemes import Scheme
from veridex.core.backtest.scores import scores, standings
from veridex.core.diagnosis.audit import Audit, audit_errors
from veridex.core.history.history import History
from veridex.core.methods.catalogue import Method, benchmarks, method
from veridex.core.methods.status import Status, reason_for
from veridex.core.scoring.comparison import EqualAccuracy, PairedDifference
from veridex.core.scoring.levels import on_number_line
from veridex.errors import ParameterError

__all__ = ["Trial"]

FloatArray = NDArray[np.float64]


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
    perfect : bool
        Whether drivers were seen before their time; every table then has a column that says so.
    driven : bool
        Whether there were drivers or events.
    pace : Pace
        How often it searched and estimated anew.
    arrays : TrialArrays
    """

    history: History
    lineup: tuple[Method, ...]
    scheme: Scheme
    levels: tuple[float, ...]
    notes: tuple[str, ...] = field(default=(), repr=False)
    perfect: bool = field(default=False, repr=False)
    driven: bool = field(default=False, repr=False)
    pace: Pace = field(default_factory=Pace, repr=False)
    keys: tuple[tuple[str, ...], ...] = field(default=(), repr=False)
    arrays: TrialArrays = field(repr=False)

    @property
    def benchmarks(self) -> tuple[Method, ...]:
        """The methods that must be beaten: the first that an item supports counts."""
        return benchmarks(self.history.season_length)

    def method_index(self, text: str | Method) -> int:
        """Where a method stands in the lineup, however it is spelled.

        Raises
        ------
        MethodUnknown, SettingError
            If it is none of the catalogue.
        ParameterError
            If it was not entered.
        """
        wanted = method(text)
        if wanted not in self.lineup:
            raise ParameterError("method", repr(wanted.text), f"the trial has {', '.join(map(str, self.lineup))}")
        return self.lineup.index(wanted)

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
        }
        error = columns["actual"] - columns["forecast"]
        with np.errstate(all="ignore"):
            percent = 100.0 * error / columns["actual"]
        columns |= {"error": error, "percent_error": np.where(np.isfinite(percent), percent, np.nan)}
        columns["std_error"] = a.std_error[i, m, o, h]
        sides = ([side[i, m, o, level, h] for level in range(len(self.levels))] for side in (a.lower, a.upper))
        columns |= on_number_line(self.levels, *sides)
        columns["reason"] = self._reasons(m, a.status[i, m, o])
        return self._said(pd.DataFrame(columns))

    def _said(self, table: pd.DataFrame) -> pd.DataFrame:
        """The table, with a column that says so where drivers were seen before their time."""
        return table.assign(foresight="perfect") if self.perfect else table

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
        i = self.history.place(item)
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
        season_length = self.history.season_length
        return [one.family.needs(one.family.prepare(one.settings, season_length, 1, ())) for one in self.lineup]

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

    def scores(
        self,
        by: Sequence[str] | str = ("method",),
        scope: Literal["holdout", "training", "both"] = "holdout",
        *,
        common: bool = False,
        weights: Literal["items", "volume"] = "items",
    ) -> pd.DataFrame:
        """Measures of error per group.

        Within an item all cells of a group are pooled; a figure over several items is the mean of the items
        that have it (a geometric one of relative measures). Each method is scored on the cells it has.

        Parameters
        ----------
        by : sequence of str
            Some of item, method, origin, step, phase (the period of the season), and columns of ``history.items``.
        scope : {"holdout", "training", "both"}
            Forecasts against later actuals, or one-step errors inside the training spans (which have no
            step, phase and intervals), or both, with a column that says which.
        common : bool
            Use only the cells that every available method has.
        weights : {"items", "volume"}
            Whether items count alike in a mean, or by their actual demand in the cells.

        Returns
        -------
        DataFrame
            The grouping columns, n (cells), the measures by lower-case name, relative_mae and relative_rmse (to the
            benchmark on the same cells), and coverage, width, interval score and pinball loss of each level.

        Raises
        ------
        ParameterError
            If a group, the scope or the weights are unknown.
        """
        groups = (by,) if isinstance(by, str) else tuple(by)
        return self._said(scores(self, groups, scope, common=common, weights=weights))

    @cached_property
    def last_known(self) -> FloatArray:
        """The last known actual at each origin, shape (I, O); NaN where there is none."""
        found = np.full(self.arrays.origins.shape, np.nan)
        for i, series in enumerate(self.history):
            known = np.flatnonzero(~np.isnan(series.actuals))
            tried = np.flatnonzero((self.arrays.status[i] != Status.NO_FOLD).any(axis=0))
            at = np.searchsorted(known, self.arrays.origins[i, tried] - series.start, side="right") - 1
            found[i, tried[at >= 0]] = series.actuals[known[at[at >= 0]]]
        return found

    @cached_property
    def common_cells(self) -> NDArray[np.bool_]:
        """Cells (I, O, H) with an actual that every method forecast; one without any forecast at all is left aside."""
        a = self.arrays
        has = ~np.isnan(a.points)
        idle = ~has.any(axis=(0, 2, 3), keepdims=True)
        common: NDArray[np.bool_] = (has | idle).all(axis=1) & has.any(axis=1) & ~np.isnan(a.actuals)
        return common

    @cached_property
    def common_scores(self) -> pd.DataFrame:
        """Measures per item and method on the cells that every method has, which standings and tests go by."""
        return scores(self, ("item", "method"), "holdout", common=True)

    def standings(self, measure: str = "mase") -> pd.DataFrame:
        """Rank the lineup on the cells that every method has.

        Returns
        -------
        DataFrame
            Rank, method, n (the cells that every method has, on which all are ranked) and items among them,
            forecasts (the cells the method itself has), the measure, its training figure and the value added over the
            benchmark in percent, parameters, then all other measures, and whether the method can be told from the
            first: `p_first` and `versus_first`. A method without forecasts has none of them and stands last.

        Raises
        ------
        ParameterError
            If the measure is unknown.
        """
        return self._said(standings(self, measure))

    @property
    def alarms(self) -> tuple[str, ...]:
        """Where a method fits the training spans better than a simpler one and forecasts the holdout worse."""
        table = self.standings("rmse").rename(columns={"rmse": "holdout_rmse"})
        return overfit_alarms(table)

    def compare(
        self, first: str, second: str, item: str | None = None, step: int | None = None, measure: str = "mae"
    ) -> EqualAccuracy | PairedDifference:
        """Test whether two methods are equally accurate.

        Parameters
        ----------
        first, second : str
            Methods of the lineup.
        item : str, optional
            On this item over its origins, by a test of equal accuracy; else over all items, by a paired bootstrap.
        step : int, optional
            At this lead time; else over all of them.
        measure : str
            Over items any measure of `scores`; on one item ``"mae"`` or ``"mse"``.

        Raises
        ------
        ParameterError, ItemUnknown
        """
        return compare_two(self, first, second, item, step, measure)

    def ranks(self, measure: str = "mase") -> tuple[pd.DataFrame, float]:
        """Mean rank of each method over the items, and the distance beyond which two differ at 5 %."""
        return rank_table(self, measure)

    def static_dynamic(self, item: str, method: str) -> pd.DataFrame:
        """One-step forecasts beside many-step ones over the tested periods of an item.

        ``static`` is made one period ahead, each new actual used; ``dynamic`` from the first origin alone.

        Returns
        -------
        DataFrame
            period, actual, static, dynamic; NaN where a forecast does not reach.

        Raises
        ------
        ItemUnknown, ParameterError
        """
        i, m = self._item_index(item), self.method_index(method)
        a, cadence = self.arrays, self.history.cadence
        tried = np.flatnonzero(a.status[i, m] != Status.NO_FOLD)
        if not tried.size:
            return pd.DataFrame({"period": [], "actual": [], "static": [], "dynamic": []})
        first, last = int(a.origins[i, tried[0]]), int(a.origins[i, tried[-1]])
        size = max(last - first + 1, a.points.shape[-1])
        series = self.history[item]
        at = first + 1 - series.start
        actual, static, dynamic = (np.full(size, np.nan) for _ in range(3))
        known = series.actuals[at : at + size]
        actual[: known.size] = known
        static[a.origins[i, tried] - first] = a.points[i, m, tried, 0]
        dynamic[: a.points.shape[-1]] = a.points[i, m, tried[0]]
        periods = cadence.starts(np.arange(first + 1, first + 1 + size))
        return pd.DataFrame({"period": periods, "actual": actual, "static": static, "dynamic": dynamic})

    @cached_property
    def folds(self) -> pd.DataFrame:
        """A row per fold: item, method, origin, quantities estimated, whether the estimation converged, reason, AICc,
        and the form that a search chose.
        """
        a = self.arrays
        i, m, o = np.nonzero(a.status != Status.NO_FOLD)
        done = a.status[i, m, o] <= Status.DONE
        converged = (a.status[i, m, o] != Status.NOT_CONVERGED).tolist()
        return pd.DataFrame(
            {
                "item": self._labels(self.history.names, i),
                "method": self._labels([entered.text for entered in self.lineup], m),
                "origin": self.history.cadence.starts(a.origins[i, o]),
                "parameters": a.parameters[i, m, o],
                "converged": pd.Series(converged, dtype="boolean").where(done, pd.NA),
                "reason": self._reasons(m, a.status[i, m, o]),
                "aicc": a.criteria[i, m, o],
                "form": [form.decode() for form in a.forms[i, m, o]],
            }
        )

    @staticmethod
    def _labels(names: Sequence[str], at: NDArray[np.int64]) -> list[str]:
        return [names[k] for k in at.tolist()]

    def _item_index(self, item: str) -> int:
        """Where an item stands; an unknown one is refused by the history."""
        return self.history.place(item)
