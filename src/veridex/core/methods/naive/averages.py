"""Averages of the last values, and two plain relatives of the naive family.

The forecast of an average is flat: the last average holds for every lead time. Its standard error is that of the
autoregression with the same weights, ``sigma sqrt(sum of psi_j^2)`` (Brockwell and Davis, 1991, section 5.5): exact for
one period ahead, approximate beyond, where that autoregression would average its own forecasts.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.family import PlainFamily
from veridex.core.methods.fold.plan import Plan, Rows, Sizes
from veridex.core.methods.fold.settings import Setting, Value, whole
from veridex.core.methods.fold.status import Status
from veridex.core.methods.naive.benchmarks import SEASON_AND_ONE, SEASON_LENGTH, Unestimated, fill_stats, own_season
from veridex.core.methods.words import signed
from veridex.core.readable import number, quantity
from veridex.errors import SettingError

__all__ = ["LastChange", "MovingAverage", "SeasonalMean"]

LONGEST = 10_000

WINDOW = 3
"""Values averaged where neither window nor weights are stated: a quarter of months."""


@dataclass(frozen=True, slots=True)
class AveragePlan(Plan):
    """The weights of the last known values, newest first; they sum to one."""

    weights: FloatArray = field(default_factory=lambda: np.ones(1), repr=False)


def _are_weights(value: Value) -> bool:
    if not isinstance(value, tuple) or not all(isinstance(w, (int, float)) and not isinstance(w, bool) for w in value):
        return False
    return bool(value) and min(value) >= 0 and sum(value) > 0


class MovingAverage(Unestimated[AveragePlan]):
    """The mean of the last `window` known values, carried forward, or their weighted mean.

    ``weights=[3, 2, 1]`` stand newest first and are divided by their sum. Standard error as above.
    """

    name = "moving-average"
    settings = (
        whole("window", 1, LONGEST, spelled=True),
        Setting("weights", None, "numbers from 0 on, newest first, as in [3, 2, 1]", _are_weights),
    )

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse a window beside weights, which have one of their own."""
        if "window" in settings and "weights" in settings:
            raise SettingError(self.name, "weights, newest first, say how many values are averaged; leave window out")

    def canonical(self, given: dict[str, Any]) -> dict[str, Any]:
        """A plain average says how many values it is over."""
        return given if "weights" in given else {"window": WINDOW, **given}

    def _weights(self, settings: Mapping[str, Any]) -> FloatArray:
        window = int(settings.get("window") or WINDOW)
        stated = np.array(settings.get("weights") or [1.0] * window, dtype=np.float64)
        return np.asarray(stated / stated.sum())

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> AveragePlan:
        """Row: variance of the one-step errors."""
        weights = self._weights(settings)
        return AveragePlan(sizes, row_size=1, needs=f"{weights.size + 2} known periods", weights=weights)

    def run(self, plan: AveragePlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate the variance of the one-step errors, and forecast."""
        known = y[~np.isnan(y)]
        k = plan.weights.size
        if known.size < k + 2:
            return Status.TOO_SHORT
        errors = known[k:] - np.convolve(known, plan.weights, mode="valid")[:-1]
        out.row[0] = np.square(errors).mean()
        fill_stats(out, float(out.row[0]), errors.size, 1)
        return self.replay(plan, y, x, out)

    def replay(self, plan: AveragePlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Carry the last average forward; unknown periods are skipped, as if they were not there."""
        known = np.flatnonzero(~np.isnan(y))
        k = plan.weights.size
        averages = np.convolve(y[known], plan.weights, mode="valid")
        # The average known before each period: of the k values up to it.
        seen = np.searchsorted(known, np.arange(y.size))
        out.fitted[:] = np.where(seen >= k, averages[np.clip(seen - k, 0, averages.size - 1)], np.nan)
        out.points[:] = averages[-1]
        gap = y.size - 1 - int(known[-1])
        out.std_error[:] = np.sqrt(out.row[0] * np.cumsum(_psi(plan.weights, gap + plan.horizon) ** 2)[gap:])
        out.say_normal()
        return Status.DONE

    def _words(self, plan: AveragePlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say which values are averaged, and how."""
        weights = plan.weights
        known = y[~np.isnan(y)][::-1][: weights.size]
        mean, last = quantity(float(known @ weights), series.unit), series.cadence.length(weights.size)
        if weights.min() == weights.max():
            return (
                f"The mean of the last {last}, {mean}, is carried forward. Everything before them is forgotten; no "
                f"trend and no season is seen."
            )
        shares = ", ".join(f"{100 * weight:.3g}" for weight in weights)
        return (
            f"A weighted mean of the last {last}, {mean}, is carried forward: {shares} percent, newest first. "
            f"No trend and no season is seen."
        )

    def _equation(self, plan: AveragePlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The weighted sum with its numbers."""
        w = plan.weights
        terms = [
            f"{number(float(w[0]))} y[t-1]",
            *(f"{signed(float(w[j])).strip()} y[t-{j + 1}]" for j in range(1, w.size)),
        ]
        if w.size > 6:
            terms = [*terms[:2], "+ ...", terms[-1]]
        return f"forecast[t] = {' '.join(terms)}, the standard deviation of its errors {number(float(np.sqrt(row[0])))}"


def _psi(weights: FloatArray, n: int) -> FloatArray:
    """The first n weights of past shocks in an autoregression with these coefficients."""
    psi = np.zeros(n)
    psi[0] = 1.0
    for j in range(1, n):
        k = min(j, weights.size)
        psi[j] = weights[:k] @ psi[j - k : j][::-1]
    return psi


class LastChange(Unestimated[Plan]):
    """The last value plus the last change, again for each period ahead: the forecast of a twice integrated series.

    Standard error ``sigma sqrt(1 + 4 + ... + h^2)``, sigma squared the mean squared change of the changes (Brockwell
    and Davis, 1991, section 9.5, of (1 - B)^2 y).
    """

    name = "last-change"
    drivers = "none"

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> Plan:
        """Row: variance of a change of change."""
        return Plan(sizes, row_size=1, needs="3 known periods in a row")

    def run(self, plan: Plan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate the variance from runs of three known periods, and forecast."""
        second = np.diff(y, n=2) if y.size > 2 else np.empty(0)
        second = second[~np.isnan(second)]
        if second.size < 1:
            return Status.TOO_SHORT
        out.row[0] = np.square(second).mean()
        fill_stats(out, float(out.row[0]), second.size, 1)
        return self.replay(plan, y, x, out)

    def replay(self, plan: Plan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Go on from the last known value with the change since the known one before it."""
        before, last = np.flatnonzero(~np.isnan(y))[-2:]
        slope = (y[last] - y[before]) / (last - before)
        gap = y.size - 1 - int(last)
        reach = np.arange(gap + 1.0, gap + plan.horizon + 1.0)
        out.fitted[:2] = np.nan
        out.fitted[2:] = 2.0 * y[1:-1] - y[:-2]
        out.points[:] = y[last] + slope * reach
        out.std_error[:] = np.sqrt(out.row[0] * reach * (reach + 1.0) * (2.0 * reach + 1.0) / 6.0)
        out.say_normal()
        return Status.DONE

    def _words(self, plan: Plan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say which change goes on."""
        before, last = np.flatnonzero(~np.isnan(y))[-2:]
        slope = float((y[last] - y[before]) / (last - before))
        change = f"{'up' if slope > 0 else 'down'} by {quantity(abs(slope), series.unit)} a {series.cadence.noun}"
        return (
            f"The last change, {change}, goes on from the last known value. Everything before the last two is "
            f"forgotten; no season is seen."
        )

    def _equation(self, plan: Plan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The line through the last two values."""
        spread = number(float(np.sqrt(row[0])))
        return f"forecast[t] = 2 y[t-1] - y[t-2], the standard deviation of its errors {spread}"


class SeasonalMean(PlainFamily[Plan]):
    """The mean of all known values of the same season.

    Standard error ``s sqrt(1 + 1/n)``, n the values of the season and s from all residuals; bounds by Student's t:
    least squares on one dummy per season (Seber and Lee, 2003, section 5.3.1).
    """

    name = "seasonal-mean"
    drivers = "none"
    settings = (SEASON_LENGTH,)

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> Plan:
        """Row: mean of each phase from the first value on, values of each, variance, degrees of freedom."""
        own = own_season(settings, sizes)
        m = own.season_length
        return Plan(own, row_size=2 * m + 2, needs=SEASON_AND_ONE.format(m + 1))

    def run(self, plan: Plan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate the means and the variance around them, and forecast."""
        m = plan.season_length
        if m < 2:
            return Status.NO_SEASON
        known = np.flatnonzero(~np.isnan(y))
        counts = np.bincount(known % m, minlength=m)
        if counts.min() < 1 or known.size <= m:
            return Status.TOO_SHORT
        means = np.bincount(known % m, weights=y[known], minlength=m) / counts
        total = float(np.square(y[known] - means[known % m]).sum())
        out.row[:m], out.row[m : 2 * m] = means, counts
        out.row[2 * m :] = (total / (known.size - m), known.size - m)
        fill_stats(out, total / known.size, known.size, m + 1)
        return self.replay(plan, y, x, out)

    def replay(self, plan: Plan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Repeat the mean of each season."""
        m = plan.season_length
        variance, degrees = out.row[2 * m :]
        ahead = np.arange(y.size, y.size + plan.horizon) % m
        out.fitted[:] = out.row[np.arange(y.size) % m]
        out.points[:] = out.row[ahead]
        out.std_error[:] = np.sqrt(variance * (1.0 + 1.0 / out.row[m + ahead]))
        out.say_student(float(degrees))
        return Status.DONE

    def _coefficients(
        self, plan: Plan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """The mean of each season, with its usual standard error."""
        m = plan.season_length
        first = series.start + len(series) - y.size
        own = m == series.season_length
        names = tuple(series.phase_name(first + j) if own else f"phase {j + 1}" for j in range(m))
        return Coefficients(names, row[:m], np.sqrt(row[2 * m] / row[m : 2 * m]), float(row[2 * m + 1]))

    def _words(self, plan: Plan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how far the season reaches."""
        m = plan.season_length
        first = series.start + len(series) - y.size
        low, high = int(np.argmin(row[:m])), int(np.argmax(row[:m]))

        def name(phase: int) -> str:
            return series.phase_name(first + phase) if m == series.season_length else f"phase {phase + 1}"

        return (
            f"Each coming {series.cadence.noun} is expected at the mean of its season, from "
            f"{quantity(float(row[low]), series.unit)} ({name(low)}) to "
            f"{quantity(float(row[high]), series.unit)} ({name(high)}). "
            f"All seasons count alike; no trend is seen."
        )

    def _equation(self, plan: Plan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The means are in the table of coefficients."""
        spread = number(float(np.sqrt(row[2 * plan.season_length])))
        m = plan.season_length
        return f"forecast[t] = mean of y[t-{m}], y[t-{2 * m}] ..., the spread around it {spread}"

    def _variance(self, plan: Plan, row: FloatArray) -> float:
        """Variance around the seasonal means."""
        return float(row[2 * plan.season_length])
