"""The naive family: mean, last value, same season last time, last value plus drift.

Standard errors are those of each method's own model, as given in Hyndman and Athanasopoulos (2021),
*Forecasting: Principles and Practice*, 3rd ed., section 5.5. Unknown periods are skipped: a difference over k
periods of a random walk has k times the variance of one.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, TypeVar

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.family import PlainFamily, RolledFamily
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.labels import change_label
from veridex.core.methods.fold.plan import Plan, Rows, Sizes
from veridex.core.methods.fold.settings import whole
from veridex.core.methods.fold.status import Status
from veridex.core.methods.naive.rolled import DRIFT, MEAN, NAIVE, SEASONAL_NAIVE, roll_plain
from veridex.core.methods.words import signed
from veridex.core.numerics.plain import drift_ahead, mean_ahead, naive_ahead, seasonal_naive_ahead
from veridex.core.numerics.seasons.longer import longer_seasons
from veridex.core.readable import number, quantity

__all__ = [
    "SEASON_AND_ONE",
    "SEASON_LENGTH",
    "Drift",
    "Mean",
    "Naive",
    "SeasonalNaive",
    "Unestimated",
    "fill_stats",
    "own_season",
]

SEASON_LENGTH = whole("season_length", 2, 100_000)
"""Periods after which the season repeats, where the history's own season is not meant."""

P = TypeVar("P", bound=Plan)

SEASON_AND_ONE = "each period of the season once and one of them twice ({} periods)"


def own_season(settings: Mapping[str, Any], sizes: Sizes) -> Sizes:
    """The sizes with the season that the settings state, if they do."""
    return sizes._replace(season_length=int(settings.get("season_length") or sizes.season_length))


def fill_stats(out: Rows, variance: float, used: int, estimated: int) -> None:
    """Gaussian log-likelihood of `used` independent errors with maximum-likelihood `variance`."""
    likelihood = -0.5 * used * (math.log(2.0 * math.pi * variance) + 1.0) if variance > 0 else np.nan
    out.stats[:] = (likelihood, used, estimated, 0)


class Unestimated(PlainFamily[P]):
    """A method without coefficients, whose row begins with the variance of its errors."""

    def _coefficients(
        self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        return Coefficients((), np.empty(0), np.empty(0))

    def _variance(self, plan: P, row: FloatArray) -> float:
        return float(row[0])


class Mean(RolledFamily[Plan]):
    """Every coming period at the mean of the known ones.

    Stands for independent, equally distributed demand. Standard error ``s sqrt(1 + 1/n)`` with s from n - 1;
    bounds by Student's t with n - 1 degrees of freedom (the exact law for normal demand).
    """

    name = "mean"
    drivers = "none"

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> Plan:
        """Row: mean, variance, number of values."""
        return Plan(sizes, row_size=3, needs="2 known periods")

    def _roll(self, plan: Plan, folds: Folds, warm: FloatArray) -> None:
        """Estimate mean and variance, and forecast."""
        roll_plain(MEAN, folds, folds.status)

    def replay(self, plan: Plan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Forecast the mean."""
        mean_ahead(out.row, out.fitted, out.points, out.std_error)
        out.say_student(out.row[2] - 1.0)
        return Status.DONE

    def _coefficients(
        self, plan: Plan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """The mean, with its usual standard error."""
        return Coefficients(("mean",), row[:1], np.sqrt(row[1:2] / row[2]), row[2] - 1.0)

    def _words(self, plan: Plan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say which mean."""
        return (
            f"Every coming {series.cadence.noun} is expected at {quantity(row[0], series.unit)}, the mean of "
            f"{series.cadence.length(row[2])}. All of them count alike; no trend and no season is seen."
        )

    def _equation(self, plan: Plan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The mean with its number."""
        return f"forecast[t] = {number(row[0])}, the spread around it {number(float(np.sqrt(row[1])))}"

    def _variance(self, plan: Plan, row: FloatArray) -> float:
        """Variance around the mean."""
        return float(row[1])


class Naive(RolledFamily[Plan], Unestimated[Plan]):
    """The last known value, carried forward: the forecast of a random walk.

    Standard error ``sigma sqrt(h)``, sigma squared the mean of the squared changes; normal bounds.
    """

    name = "naive"
    drivers = "none"

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> Plan:
        """Row: variance of a change."""
        return Plan(sizes, row_size=1, needs="2 known periods")

    def _roll(self, plan: Plan, folds: Folds, warm: FloatArray) -> None:
        """Estimate the variance of a change, and forecast."""
        roll_plain(NAIVE, folds, folds.status)

    def replay(self, plan: Plan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Carry the last known value forward."""
        naive_ahead(y, out.row, out.fitted, out.points, out.std_error)
        out.say_normal()
        return Status.DONE

    def _words(self, plan: Plan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say which value is carried forward."""
        last = int(np.flatnonzero(~np.isnan(y))[-1])
        period = series.cadence.text(series.start + len(series) - y.size + last)
        return (
            f"The last known value, {quantity(float(y[last]), series.unit)} in {period}, is carried forward. "
            f"Everything before it is forgotten; no trend and no season is seen."
        )

    def _equation(self, plan: Plan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The random walk."""
        return f"forecast[t] = y[t-1], the standard deviation of a change {number(float(np.sqrt(row[0])))}"


@dataclass(frozen=True, slots=True)
class SeasonalNaivePlan(Plan):
    """How often the season must have been seen."""

    turns: int = 2

    def lag(self, y: FloatArray) -> int:
        """The longest season that the span shows, or that is stated, in whole turns of the first."""
        m, above = self.season_length, self.sizes.turns
        shown = longer_seasons(y, m, above.lengths, stated=above.stated)
        seen = [one.length for one in shown if y.size >= round(self.turns * one.length) - m]
        return m * round(seen[-1] / m) if seen else m


class SeasonalNaive(RolledFamily[SeasonalNaivePlan], Unestimated[SeasonalNaivePlan]):
    """The value one season earlier.

    Of several seasons the longest that was seen twice, or with ``turns=1`` once, in whole turns of the first: the same
    weekday, 52 weeks earlier. Standard error ``sigma sqrt(k)``, k the number of seasons the value is carried over;
    normal bounds.
    """

    name = "seasonal-naive"
    drivers = "none"
    seasons = "own"
    settings = (SEASON_LENGTH, whole("turns", 1, 2, default=2))

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> SeasonalNaivePlan:
        """Row: variance of a change over the season, and the season."""
        own = own_season(settings, sizes)
        needs = SEASON_AND_ONE.format(own.season_length + 1)
        return SeasonalNaivePlan(own, row_size=2, needs=needs, turns=settings["turns"])

    def domain(self, plan: SeasonalNaivePlan, y: FloatArray, row: FloatArray | None) -> Status:
        """A row's season is one of whole periods."""
        return Status.DONE if row is None or (row[1] >= 2.0 and row[1].is_integer()) else Status.NOT_ITS_OWN

    def _roll(self, plan: SeasonalNaivePlan, folds: Folds, warm: FloatArray) -> None:
        """Estimate the variance of a change over a season, and forecast."""
        lags = np.full(folds.status.size, plan.season_length)
        for o in folds.possible() if plan.sizes.turns.lengths else ():
            lags[o] = plan.lag(folds.span(o))
        roll_plain(SEASONAL_NAIVE, folds, lags)

    def replay(self, plan: SeasonalNaivePlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Repeat the last known value of each season."""
        seasonal_naive_ahead(y, out.row, out.fitted, out.points, out.std_error)
        out.say_normal()
        return Status.DONE

    def _words(self, plan: SeasonalNaivePlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how far back it looks."""
        noun = series.cadence.noun
        return (
            f"Each coming {noun} repeats the value of the {noun} {series.cadence.length(row[1])} earlier. "
            f"The last season is taken as it was; no trend is seen."
        )

    def _equation(self, plan: SeasonalNaivePlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The random walk of each season."""
        spread = number(float(np.sqrt(row[0])))
        return f"forecast[t] = y[t-{int(row[1])}], the standard deviation of a change over the season {spread}"


class Drift(RolledFamily[Plan]):
    """The last value plus the average change from the first value to the last.

    Standard error ``sigma sqrt(h (1 + h / (T - 1)))``: the random walk's and that of the estimated drift;
    normal bounds.
    """

    name = "drift"
    drivers = "none"

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> Plan:
        """Row: drift per period, variance of a change around it, periods from first to last known value."""
        return Plan(sizes, row_size=3, needs="3 known periods")

    def _roll(self, plan: Plan, folds: Folds, warm: FloatArray) -> None:
        """Estimate the drift and the variance around it, and forecast."""
        roll_plain(DRIFT, folds, folds.status)

    def replay(self, plan: Plan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Carry the last known value forward along the drift."""
        drift_ahead(y, out.row, out.fitted, out.points, out.std_error)
        out.say_normal()
        return Status.DONE

    def _coefficients(
        self, plan: Plan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """The average change per period."""
        return Coefficients((change_label(series.cadence),), row[:1], np.sqrt(row[1:2] / row[2]))

    def _words(self, plan: Plan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how demand drifts."""
        noun = series.cadence.noun
        way = "rises" if row[0] > 0 else "falls"
        return (
            f"From the last known value on, demand {way} by {quantity(abs(float(row[0])), series.unit)} a {noun}, "
            f"its average change from the first to the last of {series.cadence.length(row[2] + 1)}. No season is seen."
        )

    def _equation(self, plan: Plan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The random walk with its drift."""
        spread = number(float(np.sqrt(row[1])))
        return f"forecast[t] = y[t-1]{signed(float(row[0]))}, the standard deviation of a change around it {spread}"

    def _variance(self, plan: Plan, row: FloatArray) -> float:
        """Variance of a change around the drift."""
        return float(row[1])
