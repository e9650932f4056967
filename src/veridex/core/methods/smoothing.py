"""Exponential smoothing: simple, and Holt-Winters with an additive or multiplicative season."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from veridex.core.history.item import ItemHistory
from veridex.core.methods.contract import Coefficients, Family, FloatArray, Plan, Rows
from veridex.core.methods.settings import Value, choice, number, yes_no
from veridex.core.methods.status import Status
from veridex.core.methods.words import number as shown
from veridex.core.methods.words import quantity
from veridex.core.numerics import smoothing as kernels
from veridex.core.numerics.curvature import observed_errors
from veridex.core.numerics.smoothing_forecasts import replay_smoothing
from veridex.errors import SettingError

__all__ = ["HoltWinters", "SimpleSmoothing", "SmoothingPlan"]

CONSTANTS = ("alpha", "beta", "gamma", "phi")


@dataclass(frozen=True, slots=True)
class SmoothingPlan(Plan):
    """A smoothing form: error, trend and season as the kernels count them, and the constants that are stated."""

    error: int = kernels.ADDITIVE
    trend: int = kernels.NONE
    season: int = kernels.NONE
    fixed: FloatArray = field(default_factory=lambda: np.full(4, np.nan), repr=False)

    @property
    def phases(self) -> int:
        """Seasonal states kept."""
        return self.cycle if self.season != kernels.NONE else 1

    @property
    def has(self) -> tuple[bool, bool, bool, bool]:
        """Which of alpha, beta, gamma, phi the form has."""
        return True, self.trend != kernels.NONE, self.season != kernels.NONE, self.trend == kernels.DAMPED


class _Smoothing(Family[SmoothingPlan]):
    """What all smoothing forms share."""

    def _plan(
        self,
        settings: Mapping[str, Any],
        cycle: int,
        horizon: int,
        levels: tuple[float, ...],
        error: int,
        trend: int,
        season: int,
    ) -> SmoothingPlan:
        fixed = np.array([np.nan if settings.get(key) is None else settings[key] for key in CONSTANTS])
        phases = cycle if season != kernels.NONE else 1
        return SmoothingPlan(
            cycle,
            horizon,
            levels,
            row_size=kernels.STARTS + phases + 1,
            warm_size=7,
            error=error,
            trend=trend,
            season=season,
            fixed=fixed,
        )

    def run(self, plan: SmoothingPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate constants and starting values by maximum likelihood, and forecast."""
        if plan.season != kernels.NONE and plan.cycle < 2:
            return Status.NO_SEASON
        known = y[~np.isnan(y)]
        if known.size < self._fewest(plan) or y.size < self._span(plan):
            return Status.TOO_SHORT
        if plan.error == kernels.MULTIPLICATIVE and known.min() <= 0.0:
            return Status.NOT_POSITIVE
        if known.min() == known.max():
            return Status.CONSTANT
        ended = kernels.estimate_smoothing(
            y, plan.error, plan.trend, plan.season, plan.phases, plan.fixed, warm, out.row, out.stats
        )
        if ended == kernels.NO_FIT:
            return Status.NO_FIT
        self.replay(plan, y, x, out)
        return Status.DONE if ended == kernels.DONE else Status.NOT_CONVERGED

    def replay(self, plan: SmoothingPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Run the recursion with given constants and starts, and forecast."""
        replay_smoothing(
            y, plan.error, plan.trend, plan.season, plan.phases, out.row, out.fitted, out.points, out.stderr
        )
        out.fill_bounds(plan.quantiles)
        return Status.DONE

    def _span(self, plan: SmoothingPlan) -> int:
        return 2 * plan.cycle if plan.season != kernels.NONE else 3

    def _fewest(self, plan: SmoothingPlan) -> int:
        """Known values: one more than the quantities to be estimated, and two cycles where there is a season."""
        free = sum(has and math.isnan(value) for has, value in zip(plan.has, plan.fixed, strict=True))
        starts = 1 + (plan.trend != kernels.NONE) + (plan.cycle - 1 if plan.season != kernels.NONE else 0)
        return max(free + starts + 1, self._span(plan))

    def needs(self, plan: SmoothingPlan) -> str:
        """Two cycles, or a few values."""
        return f"{self._fewest(plan)} known periods"

    def variance(self, plan: SmoothingPlan, row: FloatArray) -> float:
        """Variance of the one-step errors (relative ones where they are multiplicative)."""
        return float(row[-1])

    def coefficients(self, plan: SmoothingPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> Coefficients:
        """Constants, starting level and slope with standard errors; the seasonal starts are heuristic and have none.

        The standard errors come from the observed information given the seasonal starts; a constant at the
        edge of its region or stated by the planner has none.
        """
        count = kernels.STARTS
        states, fitted = np.empty(2 + plan.phases), np.empty(y.size)

        def log_likelihood(head: FloatArray) -> float:
            trial = row.copy()
            trial[:count] = head
            total, logs, known = kernels.recursion(
                y, plan.error, plan.trend, plan.season, plan.phases, trial, states, fitted
            )
            return -0.5 * known * math.log(total) - logs if total < math.inf else -math.inf

        low = np.array([1e-3, 1e-3, 1e-3, 0.801])
        high = np.array([0.999, 0.999, 0.999 * (1.0 - row[0]), 0.979])
        inside = (row[:4] > low) & (row[:4] < high) & np.isnan(plan.fixed) & np.array(plan.has)
        free = np.concatenate((inside, [True, plan.trend != kernels.NONE]))
        size = math.sqrt(self.variance(plan, row)) * (abs(row[4]) if plan.error == kernels.MULTIPLICATIVE else 1.0)
        scales = np.array([0.1, 0.1, 0.1, 0.02, size, size / max(y.size, 2)])
        errors = observed_errors(log_likelihood, row[:count], free, scales)

        shown_rows = [j for j, has in enumerate((*plan.has, True, plan.trend != kernels.NONE)) if has]
        names = (*CONSTANTS, "starting level", "starting slope")
        first = series.start + len(series) - y.size
        seasons = (
            [f"start {series.phase_name(first + j)}" for j in range(plan.cycle)] if plan.season != kernels.NONE else []
        )
        return Coefficients(
            tuple(names[j] for j in shown_rows) + tuple(seasons),
            np.concatenate((row[shown_rows], row[count:-1] if seasons else [])),
            np.concatenate((errors[shown_rows], np.full(len(seasons), np.nan))),
        )

    def in_words(self, plan: SmoothingPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how fast level, trend and season move."""
        states, fitted = np.empty(2 + plan.phases), np.empty(y.size)
        kernels.recursion(y, plan.error, plan.trend, plan.season, plan.phases, row, states, fitted)
        cadence, unit = series.cadence, series.unit
        parts = [f"A level is carried forward, now {quantity(states[0], unit)}; {_memory(row[0], series)}."]
        if plan.trend != kernels.NONE:
            way = "rises" if states[1] >= 0 else "falls"
            fades = f" (fading by {shown(100 * (1 - row[3]), 2)} % each {cadence.noun})" if row[3] < 1 else ""
            moves = (
                "which hardly changes"
                if row[1] < 0.01
                else f"which takes up {shown(row[1], 2)} of each change of level"
            )
            parts.append(f"It {way} by {quantity(abs(float(states[1])), unit)} a {cadence.noun}{fades}, {moves}.")
        if plan.season != kernels.NONE:
            s = states[2:]
            first = series.start + len(series) - y.size
            top, bottom = int(s.argmax()), int(s.argmin())
            top_name, bottom_name = series.phase_name(first + top), series.phase_name(first + bottom)
            if plan.season == kernels.ADDITIVE:
                high = f"{quantity(s[top], unit)} above the level in {top_name}"
                low = f"{quantity(-s[bottom], unit)} below it in {bottom_name}"
            else:
                high, low = (
                    f"{shown(s[top], 3)} times the level in {top_name}",
                    f"{shown(s[bottom], 3)} in {bottom_name}",
                )
            change = "hardly changes" if row[2] < 0.01 else f"moves by {shown(row[2], 2)} of what each cycle shows"
            parts.append(f"The season reaches from {high} to {low}, and {change}.")
        else:
            parts.append("No season is seen.")
        return " ".join(parts)


class SimpleSmoothing(_Smoothing):
    """A level that follows demand by a constant share of each one-step error; no trend, no season.

    The innovations state-space model with additive errors (Hyndman, Koehler, Ord and Snyder, 2008, section
    2.3), estimated by maximum likelihood with its starting level. Standard error at lead h:
    ``sigma sqrt(1 + (h - 1) alpha^2)``; sigma^2 is the squared errors' sum over n less the estimated
    quantities. Normal bounds, given the parameters.
    """

    name = "simple-smoothing"
    settings = (number("alpha", 0.0, 1.0),)

    def prepare(
        self, settings: Mapping[str, Any], cycle: int, horizon: int, levels: tuple[float, ...]
    ) -> SmoothingPlan:
        """The form with a level only."""
        form = kernels.ADDITIVE, kernels.NONE, kernels.NONE
        return self._plan(settings, cycle, horizon, levels, *form)


class HoltWinters(_Smoothing):
    """Level, trend and season, each following demand at its own speed.

    ``season=additive``: additive errors, trend and season. ``season=multiplicative``: multiplicative errors,
    additive trend, multiplicative season (models AAA and MAM of Hyndman, Koehler, Ord and Snyder, 2008;
    ``damped=yes`` their damped forms). Constants: alpha for the level; beta, Holt's share of the newest change
    of level that enters the slope; gamma for the season, at most 1 - alpha; phi damps the trend. The season is
    corrected against the level before the new value (the error-correction form). Standard errors are the
    closed form (additive) and the exact second moments (multiplicative), given the parameters; normal bounds.
    """

    name = "holt-winters"
    settings = (
        choice("season", "additive", "multiplicative", default="additive"),
        yes_no("damped"),
        number("alpha", 0.0, 1.0),
        number("beta", 0.0, 1.0),
        number("gamma", 0.0, 1.0),
        number("phi", 0.0, 1.0),
    )

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse constants outside the region, and phi without damping."""
        if settings.get("phi") is not None and not settings["damped"]:
            raise SettingError(self.name, "phi damps the trend; add damped=yes")
        alpha, gamma = settings.get("alpha"), settings.get("gamma")
        if isinstance(alpha, (int, float)) and isinstance(gamma, (int, float)) and gamma > 1 - alpha:
            raise SettingError(self.name, f"gamma may be at most 1 - alpha = {1 - alpha:g}, got {gamma:g}")

    def prepare(
        self, settings: Mapping[str, Any], cycle: int, horizon: int, levels: tuple[float, ...]
    ) -> SmoothingPlan:
        """The form with trend and season."""
        multiplicative = settings["season"] == "multiplicative"
        kind = kernels.MULTIPLICATIVE if multiplicative else kernels.ADDITIVE
        trend = kernels.DAMPED if settings["damped"] else kernels.ADDITIVE
        return self._plan(settings, cycle, horizon, levels, kind, trend, kind)


def _memory(alpha: float, series: ItemHistory) -> str:
    """How fast a level forgets."""
    if alpha > 0.99:
        return f"it is the last {series.cadence.noun}'s, and everything before is forgotten"
    if alpha < 0.001:
        return "it hardly moves, so that the whole history counts alike"
    half = math.log(0.5) / math.log(1.0 - alpha)
    return f"half of its weight lies on the last {series.cadence.length(max(half, 1.0))}"
