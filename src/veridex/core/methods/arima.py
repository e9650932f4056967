"""ARIMA with stated non-seasonal orders, by exact maximum likelihood."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.history.item import ItemHistory
from veridex.core.methods.contract import Coefficients, Family, FloatArray, Plan, Rows
from veridex.core.methods.settings import Setting, Value, whole
from veridex.core.methods.status import Status
from veridex.core.methods.words import number as shown
from veridex.core.methods.words import quantity, signed
from veridex.core.numerics import arma as kernels
from veridex.core.numerics.arima import difference, replay_arima
from veridex.core.numerics.curvature import observed_errors
from veridex.errors import SettingError

__all__ = ["Arima", "ArimaPlan"]


@dataclass(frozen=True, slots=True)
class ArimaPlan(Plan):
    """Orders, and whether the differenced series has a mean."""

    p: int = 0
    d: int = 0
    q: int = 0
    constant: bool = False


class Arima(Family[ArimaPlan]):
    """Autoregressive integrated moving averages.

    ``phi(B) ((1 - B)^d y - c) = theta(B) a`` with ``phi(B) = 1 - ar1 B - ...`` and
    ``theta(B) = 1 + ma1 B + ...`` (the sign of Brockwell and Davis, 1991). The constant c is the mean when
    d = 0 and the drift when d = 1; ``constant=auto`` has one when d = 0. Coefficients maximise the exact
    Gaussian likelihood inside the stationary and invertible region; the variance is the maximum-likelihood
    one. Forecasts are the exact finite-sample predictor; standard errors come from the psi weights of the
    whole model, given the coefficients; normal bounds.
    """

    name = "arima"
    settings = (
        whole("p", 0, 12),
        whole("d", 0, 2),
        whole("q", 0, 12),
        Setting("constant", "auto", "auto, yes or no", lambda value: value == "auto" or isinstance(value, bool)),
    )

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse a call without any order."""
        if all(settings.get(key) is None for key in "pdq"):
            raise SettingError(
                self.name, "state its orders, as in 'arima p=1 d=1 q=1' (searching them is not built yet)"
            )

    def prepare(self, settings: Mapping[str, Any], cycle: int, horizon: int, levels: tuple[float, ...]) -> ArimaPlan:
        """Row: ar, ma, constant, variance."""
        p, d, q = (settings.get(key) or 0 for key in "pdq")
        constant = d == 0 if settings["constant"] == "auto" else bool(settings["constant"])
        return ArimaPlan(
            cycle, horizon, levels, row_size=p + q + 2, warm_size=1 + p + q, p=p, d=d, q=q, constant=constant
        )

    def run(self, plan: ArimaPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate by maximum likelihood, and forecast."""
        if np.isnan(y).any():
            return Status.UNKNOWN_INSIDE
        if y.size < self._fewest(plan):
            return Status.TOO_SHORT
        z = difference(y, plan.d)
        ended = kernels.estimate_arma(z, plan.p, plan.q, plan.constant, warm, out.row, out.stats)
        if ended == kernels.PERFECT:
            return Status.CONSTANT
        if ended == kernels.NO_FIT or self.replay(plan, y, x, out) != Status.DONE:
            return Status.NO_FIT
        return Status.DONE if ended == kernels.DONE else Status.NOT_CONVERGED

    def replay(self, plan: ArimaPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Filter with given coefficients, and forecast."""
        if np.isnan(y).any():
            return Status.UNKNOWN_INSIDE
        done = replay_arima(y, plan.d, plan.p, plan.q, out.row, out.fitted, out.points, out.stderr)
        out.fill_bounds(plan.quantiles)
        return Status.DONE if done else Status.NO_FIT

    def _fewest(self, plan: ArimaPlan) -> int:
        return plan.d + plan.p + plan.q + plan.constant + 3

    def equation(self, plan: ArimaPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The difference equation with its numbers."""
        p, k = plan.p, plan.p + plan.q
        z = "z" if plan.d or plan.constant else "y"
        terms = [f"{signed(value)} {z}[t-{j + 1}]" for j, value in enumerate(row[:p])]
        terms += [" + error[t]"] + [f"{signed(value)} error[t-{j + 1}]" for j, value in enumerate(row[p:k])]
        lines = [f"{z}[t] = {''.join(terms).removeprefix(' + ')}"]
        if z == "z":
            of = ("y[t]", "y[t] - y[t-1]", "y[t] - 2 y[t-1] + y[t-2]")[plan.d]
            lines.append(f"z[t] = {of}{signed(-row[k]) if plan.constant else ''}")
        lines.append(f"the standard deviation of an error {shown(float(np.sqrt(row[-1])))}")
        return "\n".join(lines)

    def needs(self, plan: ArimaPlan) -> str:
        """A few values more than coefficients."""
        return f"{self._fewest(plan)} periods"

    def variance(self, plan: ArimaPlan, row: FloatArray) -> float:
        """Variance of the innovations."""
        return float(row[-1])

    def coefficients(self, plan: ArimaPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> Coefficients:
        """Estimates with standard errors from the observed information."""
        z = difference(y, plan.d)
        p, k = plan.p, plan.p + plan.q

        def log_likelihood(point: FloatArray) -> float:
            return kernels.arma_log_likelihood(z, point[:p].copy(), point[p:k].copy(), float(point[k]))

        scales = np.ones(k + 1)
        scales[k] = np.sqrt(row[-1])
        free = np.ones(k + 1, dtype=bool)
        free[k] = plan.constant
        errors = observed_errors(log_likelihood, row[: k + 1].copy(), free, scales)
        names = [f"ar{i + 1}" for i in range(p)] + [f"ma{i + 1}" for i in range(plan.q)]
        if plan.constant:
            names.append(("mean", "drift", "curvature")[plan.d])
        count = len(names)
        return Coefficients(tuple(names), row[:count], errors[:count])

    def in_words(self, plan: ArimaPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say what is differenced, what is remembered, and where forecasts tend."""
        noun, unit = series.cadence.noun, series.unit
        of = ("demand itself", f"the change from {noun} to {noun}", "the change of the change")[plan.d]
        parts = [f"The model describes {of}."]
        if plan.p:
            values = " and ".join(shown(value, 3) for value in row[: plan.p])
            parts.append(f"It carries over {values} of what the last {series.cadence.length(plan.p)} showed.")
        if plan.q:
            values = " and ".join(shown(value, 3) for value in row[plan.p : plan.p + plan.q])
            parts.append(f"It corrects by {values} of its last {'error' if plan.q == 1 else 'errors'}.")
        if plan.constant and plan.d == 0:
            parts.append(f"Forecasts return to the mean of {quantity(row[-2], unit)}.")
        elif plan.constant:
            parts.append(f"Forecasts tend to a change of {quantity(row[-2], unit)} a {noun}.")
        elif plan.d == 1:
            parts.append("Forecasts settle at a level and stay there.")
        parts.append("No season is seen.")
        return " ".join(parts)
