"""`Trial`: everything a backtest produced, with the tables that people look at."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, ClassVar, Literal

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.backtest.one_origin import audit_of_one, static_of
from veridex.core.backtest.results import Block, Results
from veridex.core.backtest.rivalry import compare_two, overfit_alarms, rank_table
from veridex.core.backtest.scores import scores
from veridex.core.backtest.standings import standings
from veridex.core.diagnosis.audit import Audit, audit_errors
from veridex.core.methods.fold.status import Status, reason_for
from veridex.core.notebook import Faced
from veridex.core.scoring.comparison import EqualAccuracy, PairedDifference
from veridex.core.scoring.levels import on_number_line
from veridex.errors import ParameterError

__all__ = ["Trial"]


@dataclass(frozen=True, eq=False, kw_only=True)
class Trial(Results, Faced):
    """Everything a backtest produced: item trials, and tables that are made of them when asked for."""

    FACE: ClassVar[tuple[str, ...]] = (
        "notes",
        "standings",
    )

    @cached_property
    def errors(self) -> pd.DataFrame:
        """A row per item, method, origin and step: actual, forecast, bounds, and the reason where there is none."""
        return pd.concat([self._errors_of(block) for block in self.blocks()], ignore_index=True)

    def _errors_of(self, block: Block) -> pd.DataFrame:
        a, cadence, first = block.arrays, self.history.cadence, block.first
        i, m, o, h = np.nonzero(self.tried(block))
        columns: dict[str, Any] = {
            "item": np.array(self.history.names, dtype=object)[i + first],
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
        lower, upper = a.bounds(self.levels)[..., i, m, o, h]
        columns |= on_number_line(self.levels, lower, upper)
        columns["reason"] = self._reasons(m, a.status[i, m, o])
        return self._said(pd.DataFrame(columns))

    def _said(self, table: pd.DataFrame) -> pd.DataFrame:
        """The table, with a column that says so where drivers were seen before their time."""
        return table.assign(foresight="perfect") if self.perfect else table

    def _reasons(self, methods: IntArray, status: NDArray[np.int8]) -> NDArray[np.object_]:
        """The reason of each cell; few differ, so each is put into words once."""
        pairs, where = np.unique(np.stack((methods, status)), axis=1, return_inverse=True)
        words: NDArray[np.object_] = np.array([reason_for(int(c), self._needs[m]) for m, c in pairs.T], dtype=object)
        chosen: NDArray[np.object_] = words[where.ravel()]
        return chosen

    def audit(self, item: str, method: str, step: int = 1) -> Audit:
        """Audit the holdout errors of one method on one item at one lead time, in order of origin.

        Of a single origin all steps are audited instead: one ahead each, with the parameters of the origin, in
        deviations of its fit.

        Raises
        ------
        ItemUnknown, ParameterError
            If the trial has no such item or method, or did not look so far ahead.
        """
        series, m = self.history[item], self.method_index(method)
        if not 1 <= step <= self.horizon:
            raise ParameterError("step", str(step), f"the trial looked {self.horizon} ahead")
        tried = np.flatnonzero(self[item].status[m] != Status.NO_FOLD)
        if not tried.size:
            return Audit(item=item, method=method, scope="holdout", reason="no origin was tested")
        if tried.size == 1:
            return audit_of_one(self, item, m, int(tried[0]))
        start, errors, _ = self.holdout_errors(item, method, step)
        return audit_errors(errors, series, start, method, "holdout")

    def holdout_errors(self, item: str, method: str, step: int = 1) -> tuple[int, FloatArray, bool]:
        """Errors of the holdout as `audit` takes them: the first period's ordinal, a value per period, NaN where there
        is none, and whether they are in deviations of the fit, as those of a single origin.
        """
        one, m = self[item], self.method_index(method)
        tried = np.flatnonzero(one.status[m] != Status.NO_FOLD)
        if not tried.size:
            return int(self.history[item].start), np.full(1, np.nan), False
        if tried.size == 1:
            return int(one.origins[tried[0]]) + 1, static_of(self, item, m, int(tried[0])).scores, True
        periods = one.origins[tried] + step
        errors = np.full(int(periods.max() - periods.min()) + 1, np.nan)
        errors[periods - periods.min()] = (one.actuals[:, step - 1] - one.points[m, :, step - 1])[tried]
        return int(periods.min()), errors, False

    @cached_property
    def _needs(self) -> list[str]:
        return [one.needs(self.history.season_length) for one in self.lineup]

    @property
    def timings(self) -> pd.DataFrame:
        """A row per method: folds fitted, milliseconds in all, and of the median fold.

        They leave out the loading of compiled code.
        """
        spent = [
            np.concatenate([1e3 * one.seconds[m][one.status[m] != Status.NO_FOLD] for one in self])
            for m in range(len(self.lineup))
        ]
        return pd.DataFrame(
            {
                "method": [entered.text for entered in self.lineup],
                "folds": [folds.size for folds in spent],
                "ms": [folds.sum() for folds in spent],
                "ms_per_fold": [float(np.median(folds)) if folds.size else np.nan for folds in spent],
            }
        )

    def scores(
        self,
        by: Sequence[str] | str = ("method",),
        scope: Literal["holdout", "training", "pooled", "both"] = "holdout",
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
        scope : {"holdout", "training", "pooled", "both"}
            Forecasts against later actuals, or one-step errors inside the training spans (which have no
            step, phase and intervals), or the two pooled; with ``"both"`` all three, and a column that says which.
        common : bool
            Use only the cells that every available method has.
        weights : {"items", "volume"}
            Whether items count alike in a mean, or by their actual demand in the cells.

        Returns
        -------
        DataFrame
            The grouping columns, n (cells), the measures by lower-case name, relative_mae and relative_rmse (to the
            benchmark on the same cells), and coverage, width, interval score and pinball loss of each level. By method
            also the reason of one that has no cell.

        Raises
        ------
        ParameterError
            If a group, the scope or the weights are unknown.
        """
        groups = (by,) if isinstance(by, str) else tuple(by)
        return self._said(scores(self, groups, scope, common=common, weights=weights, failed=True))

    @cached_property
    def common_scores(self) -> pd.DataFrame:
        """Measures per item and method on the cells that every method has, which standings and tests go by."""
        return scores(self, ("item", "method"), "holdout", common=True)

    def standings(self, measure: str = "mase", *, brief: bool = False) -> pd.DataFrame:
        """Rank the lineup on the cells that every method has.

        Parameters
        ----------
        measure : str
        brief : bool
            Leave out coverage, width, interval score and pinball loss, and the tests against the first: they take their
            time.

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
        return self._said(standings(self, None if brief else self.common_scores, measure, tests=not brief))

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
            On this item over its origins; else over all items and origins, which respects that items are off together.
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
        return rank_table(self, self.common_scores, measure)

    def static_dynamic(self, item: str, method: str) -> pd.DataFrame:
        """One-step forecasts beside many-step ones over the tested periods of an item.

        ``static`` is made one period ahead, each new actual used; ``dynamic`` from the first origin alone. Of a single
        origin the static ones keep its parameters.

        Returns
        -------
        DataFrame
            period, actual, static, dynamic; NaN where a forecast does not reach.

        Raises
        ------
        ItemUnknown, ParameterError
        """
        one, m, cadence = self[item], self.method_index(method), self.history.cadence
        tried = np.flatnonzero(one.status[m] != Status.NO_FOLD)
        if not tried.size:
            return pd.DataFrame({"period": [], "actual": [], "static": [], "dynamic": []})
        first, last = int(one.origins[tried[0]]), int(one.origins[tried[-1]])
        size = max(last - first + 1, self.horizon)
        series = self.history[item]
        at = first + 1 - series.start
        actual, static, dynamic = (np.full(size, np.nan) for _ in range(3))
        known = series.actuals[at : at + size]
        actual[: known.size] = known
        if tried.size == 1:
            static[:] = static_of(self, item, m, int(tried[0])).forecasts[:size]
        else:
            static[one.origins[tried] - first] = one.points[m, tried, 0]
        dynamic[: self.horizon] = one.points[m, tried[0]]
        periods = cadence.starts(np.arange(first + 1, first + 1 + size))
        return pd.DataFrame({"period": periods, "actual": actual, "static": static, "dynamic": dynamic})

    @cached_property
    def folds(self) -> pd.DataFrame:
        """A row per fold: item, method, origin, quantities estimated, whether the estimation converged, reason, AICc,
        and the form that a search chose.
        """
        return pd.concat([self._folds_of(block) for block in self.blocks()], ignore_index=True)

    @property
    def models(self) -> pd.DataFrame:
        """A row per item and method: item, method, folds, converged (how many), parameters, aicc and form of the last
        fold that has a forecast, and the reason where none has.
        """
        table = self.folds.assign(folds=1, done=self.folds["reason"].eq("") | self.folds["parameters"].notna())
        keys = ["item", "method"]
        counts = table.groupby(keys, sort=False).agg(folds=("folds", "sum"), converged=("converged", "sum"))
        last = table[table["done"]].groupby(keys, sort=False).last()[["parameters", "aicc", "form"]]
        why = table.groupby(keys, sort=False)["reason"].last()
        found = counts.join(last).join(why)
        found["reason"] = found["reason"].where(found["parameters"].isna(), "")
        return found.reset_index()

    def _folds_of(self, block: Block) -> pd.DataFrame:
        a = block.arrays
        i, m, o = np.nonzero(a.status != Status.NO_FOLD)
        done = a.status[i, m, o] <= Status.DONE
        converged = (a.status[i, m, o] != Status.NOT_CONVERGED).tolist()
        return pd.DataFrame(
            {
                "item": self._labels(self.history.names, i + block.first),
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
    def _labels(names: Sequence[str], at: IntArray) -> list[str]:
        return [names[k] for k in at.tolist()]
