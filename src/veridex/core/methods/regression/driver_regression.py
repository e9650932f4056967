"""Regression on drivers and events alone: no time in it."""

import math
from collections.abc import Mapping
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.criteria import to_stay
from veridex.core.methods.fold.plan import Rows
from veridex.core.methods.fold.settings import choice
from veridex.core.methods.fold.status import Status
from veridex.core.methods.regression.least_squares import LeastSquares, RegressionPlan, regression_settings
from veridex.core.methods.words import effect_words
from veridex.core.numerics.regression.ordinary import gaussian_log_likelihood, ordinary_least_squares
from veridex.core.readable import number

__all__ = ["DriverRegression"]


class DriverRegression(LeastSquares):
    """Demand explained by drivers and events alone, by least squares; another item's demand may be a driver too.

    ``keep=all`` uses every one of them. ``keep=chosen`` leaves out, one after the other, the one with the smallest
    ratio to its standard error, as long as that is below the root of 2 log log n: the penalty of Hannan and Quinn
    (1979, Journal of the Royal Statistical Society B 41, 190-195), which keeps more true drivers than Schwarz's
    criterion and fewer false ones than Akaike's. `fitted.candidates` shows the path. The choice is not in the
    standard errors: what is left looks surer than it is. Columns that explain each other exactly are refused by name.
    Standard errors and bounds as for `linear-trend`; lags and changes are drivers of their own, as in
    ``drivers=[price, price@1]``.
    """

    name = "driver-regression"
    settings = (choice("keep", "chosen", "all", default="chosen"), *regression_settings())

    def _names(self, settings: Mapping[str, Any], season_length: int) -> tuple[str, ...]:
        return ("intercept",) if settings["intercept"] == "estimated" else ()

    def _basis(self, plan: RegressionPlan, n: int, span: int) -> FloatArray:
        return np.ones((n + plan.horizon, int(plan.estimated)))

    def rolls(self, plan: RegressionPlan) -> bool:
        """Drivers are another design in each fold."""
        return False

    def _run(self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Choose the drivers, estimate by least squares, and forecast."""
        if x is None:
            return Status.NO_DRIVERS
        design = self._design(plan, y.size, x)
        known = ~np.isnan(y)
        past, target = design[: y.size][known], y[known] - plan.offset
        used = self._used(plan, past)
        if past.shape[0] <= used.sum():
            return Status.TOO_SHORT
        if ordinary_least_squares(past[:, used], target) is None:
            return Status.DEPENDENT
        for step in self._path(plan, past, target, used):
            used = step.used
        found = ordinary_least_squares(past[:, used], target)
        assert found is not None
        self._store(plan, used, found, past.shape[0], y.size, out)
        return self._ahead(plan, design, out)

    def _path(self, plan: RegressionPlan, past: FloatArray, target: FloatArray, used: Any) -> "list[_Step]":
        """The models on the way down; the last is the one chosen."""
        path: list[_Step] = []
        left_out = ""
        while True:
            found = ordinary_least_squares(past[:, used], target)
            assert found is not None
            coefficients, factor, total = found
            n, k = past.shape[0], coefficients.size
            variance = total / (n - k)
            with np.errstate(divide="ignore", invalid="ignore"):
                ratios = np.abs(coefficients) / np.sqrt(variance * np.square(factor).sum(axis=1))
            path.append(_Step(used, left_out, k, gaussian_log_likelihood(total, n), variance))
            drivers = ratios[len(plan.names) :]
            if plan.details["keep"] == "all" or not drivers.size or not drivers.min() < math.sqrt(to_stay(n)):
                return path
            at = int(np.flatnonzero(used)[len(plan.names) + int(drivers.argmin())])
            left_out = plan.columns[at - len(plan.names)].name
            used = used.copy()
            used[at] = False

    def candidates(self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None) -> pd.DataFrame:
        """The path of choice, the model chosen first: drivers, what was left out last, criterion, variance."""
        if x is None or plan.details["keep"] == "all":
            return pd.DataFrame()
        known = ~np.isnan(y)
        past = self._design(plan, y.size, x)[: y.size][known]
        used = self._used(plan, past)
        if past.shape[0] <= used.sum() or ordinary_least_squares(past[:, used], y[known]) is None:
            return pd.DataFrame()
        path = self._path(plan, past, y[known] - plan.offset, used)
        rows = [
            {
                "drivers": step.size - len(plan.names),
                "left_out_last": step.left_out,
                "criterion": -2.0 * step.log_likelihood + to_stay(past.shape[0]) * step.size,
                "log_likelihood": step.log_likelihood,
                "variance": step.variance,
            }
            for step in path
        ]
        return pd.DataFrame(rows[::-1])

    def _words(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say what each driver and event does, and which were left out."""
        own = len(plan.names)
        effects = row[own : plan.size]
        kept = [(c, b) for c, b in zip(plan.columns, effects, strict=True) if b != 0.0]
        left = [c.name for c, b in zip(plan.columns, effects, strict=True) if b == 0.0]
        said = effect_words([c for c, _ in kept], [b for _, b in kept], series.unit) if kept else ""
        why = "they do not vary" if plan.details["keep"] == "all" else "they explain too little or do not vary"
        out = f"Left out, since {why}: {', '.join(left)}." if left else ""
        head = "Demand follows its drivers alone; no trend and no season is seen."
        return " ".join(part for part in (head, said, out) if part)

    def _equation(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The regression with its numbers."""
        spread = number(float(np.sqrt(row[plan.size])))
        text = f"forecast[t] = {self._head(plan, row)}{self._effect_terms(plan, row)}"
        return f"{text}\nthe residual standard deviation {spread}"


class _Step:
    """A model on the way down."""

    __slots__ = ("left_out", "log_likelihood", "size", "used", "variance")

    def __init__(self, used: Any, left_out: str, size: int, log_likelihood: float, variance: float) -> None:
        self.used, self.left_out, self.size = used, left_out, size
        self.log_likelihood, self.variance = log_likelihood, variance
