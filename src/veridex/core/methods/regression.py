"""Regression on a straight trend and period dummies."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from veridex.core.history.item import ItemHistory
from veridex.core.methods.contract import Coefficients, Family, FloatArray, Plan, Rows
from veridex.core.methods.status import Status
from veridex.core.methods.words import number, quantity, signed
from veridex.core.numerics import regression as kernels

__all__ = ["TrendDummies"]


class TrendDummies(Family[Plan]):
    """A straight trend plus a fixed amount for each period of the cycle, by least squares.

    The first period of the history is the base whose dummy is left out. Standard errors hold the noise of the
    new value and the uncertainty of all coefficients; bounds by Student's t with n - k degrees of freedom,
    which is exact for normal errors (Seber and Lee, 2003, section 5.3.1).
    """

    name = "trend-dummies"

    def prepare(self, settings: Mapping[str, Any], cycle: int, horizon: int, levels: tuple[float, ...]) -> Plan:
        """Row: coefficients, variance, degrees of freedom, then R^-1 of the design row by row."""
        k = cycle + 1
        return Plan(cycle, horizon, levels, row_size=k + 2 + k * k)

    def run(self, plan: Plan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate by least squares, and forecast."""
        k = plan.cycle + 1
        if plan.cycle < 2:
            return Status.NO_SEASON
        factor = out.row[k + 2 :].reshape(k, k)
        head = out.row[: k + 1]
        if not kernels.estimate_trend_dummies(y, plan.cycle, head, factor, out.stats):
            return Status.TOO_SHORT
        out.row[k + 1] = out.stats[1] - k
        return self.replay(plan, y, x, out)

    def replay(self, plan: Plan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Continue trend and season."""
        k = plan.cycle + 1
        factor = out.row[k + 2 :].reshape(k, k)
        kernels.replay_trend_dummies(y.size, plan.cycle, out.row[: k + 1], factor, out.fitted, out.points, out.stderr)
        out.fill_bounds(plan.student_quantiles(out.row[k + 1]))
        return Status.DONE

    def coefficients(
        self, plan: Plan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """Intercept, trend and dummies, each dummy against the base."""
        k = plan.cycle + 1
        errors = np.sqrt(row[k] * np.square(row[k + 2 :].reshape(k, k)).sum(axis=1))
        first = series.start + len(series) - y.size
        base = series.phase_name(first)
        dummies = tuple(f"{series.phase_name(first + j)} (against {base})" for j in range(1, plan.cycle))
        return Coefficients(("intercept", "trend", *dummies), row[:k], errors, float(row[k + 1]))

    def in_words(self, plan: Plan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how trend and season run."""
        first = series.start + len(series) - y.size
        season = np.concatenate(([0.0], row[2 : plan.cycle + 1]))
        top, bottom = int(season.argmax()), int(season.argmin())
        way = "rises" if row[1] >= 0 else "falls"
        return (
            f"Demand {way} by {quantity(abs(float(row[1])), series.unit)} a {series.cadence.noun} along one straight "
            f"line through the whole history, all of which counts alike. On top lies a fixed season, "
            f"highest in {series.phase_name(first + top)} and lowest in {series.phase_name(first + bottom)}, "
            f"{quantity(season[top] - season[bottom], series.unit)} apart."
        )

    def equation(self, plan: Plan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The line with its numbers; the dummies are in the table of coefficients."""
        spread = number(float(np.sqrt(row[plan.cycle + 1])))
        line = f"forecast[t] = {number(float(row[0]))}{signed(float(row[1]))} t + effect of the period of the cycle"
        return f"{line}\nt = 1, 2, ... from the first value on; the residual standard deviation {spread}"

    def needs(self, plan: Plan) -> str:
        """More values than coefficients, and every season seen."""
        return f"{plan.cycle + 2} known periods with every period of the cycle among them"

    def variance(self, plan: Plan, row: FloatArray) -> float:
        """Residual variance."""
        return float(row[plan.cycle + 1])
