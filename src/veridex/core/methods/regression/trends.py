"""Regressions on time: straight and bent lines, seasonal dummies."""

from collections.abc import Mapping
from functools import lru_cache
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.labels import change_label
from veridex.core.methods.fold.settings import Setting, Value, whole
from veridex.core.methods.fold.status import Status
from veridex.core.methods.regression.least_squares import SLOPE, LeastSquares, RegressionPlan, regression_settings
from veridex.core.methods.regression.rolled import HEAD
from veridex.core.methods.words import signed
from veridex.core.numerics.regression.ordinary import chebyshev_design, in_powers
from veridex.core.periods.seasons import season_name
from veridex.core.readable import number, quantity
from veridex.errors import SettingError

__all__ = ["LinearTrend", "PolyTrend", "TrendSeason", "line_of", "line_words", "time_words"]


class LinearTrend(LeastSquares):
    """A straight line through the history, by least squares, with drivers and events.

    Time counts 1, 2, ... from the first value. ``intercept=none`` sends the line through zero at time 0,
    ``intercept=NUMBER`` through that number. Standard errors hold the noise of the new value and the uncertainty of all
    coefficients; bounds by Student's t with n - k degrees of freedom, exact for normal errors (Seber and Lee, 2003,
    section 5.3.1). ``errors=autocorrelated`` gives the coefficients' standard errors by Newey and West (1987).
    """

    name = "linear-trend"
    settings = regression_settings()

    def _names(self, settings: Mapping[str, Any], season_length: int) -> tuple[str, ...]:
        return (*(["intercept"] if settings["intercept"] == "estimated" else []), SLOPE)

    def _basis(self, plan: RegressionPlan, n: int, span: int) -> FloatArray:
        return line_of(plan, n)

    def _groups(self, plan: RegressionPlan) -> dict[str, Any]:
        return {"trend": [int(plan.estimated)]}

    def _words(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how the line runs."""
        slope = float(row[int(plan.estimated)])
        return f"{line_words(slope, series)} No season is seen.{self._effects_said(plan, row, series.unit)}"

    def _equation(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The line with its numbers."""
        slope = signed(float(row[int(plan.estimated)]))
        line = f"forecast[t] = {self._head(plan, row)}{slope} t{self._effect_terms(plan, row)}"
        return f"{line}\n{time_words(plan, row)}"


class PolyTrend(LeastSquares):
    """A polynomial of time, by least squares, with drivers and events.

    ``degree=`` 1 to 6. It is estimated on Chebyshev polynomials of the span, which keep their digits, and shown in
    plain powers of time (1, 2, ... from the first value). Beyond the span high degrees run away: look at the
    backtest. Standard errors and bounds as for `linear-trend`. A stated intercept is the value at time 0.
    """

    name = "poly-trend"
    scaled = True
    settings = (whole("degree", 1, 6, default=2, spelled=True), *regression_settings())

    def _names(self, settings: Mapping[str, Any], season_length: int) -> tuple[str, ...]:
        powers = tuple("time" if j == 1 else f"time^{j}" for j in range(1, settings["degree"] + 1))
        return (*(["intercept"] if settings["intercept"] == "estimated" else []), *powers)

    def _basis(self, plan: RegressionPlan, n: int, span: int) -> FloatArray:
        time = np.arange(1.0, n + plan.horizon + 1.0)
        degree = int(plan.details["degree"])
        if plan.estimated:
            return chebyshev_design(time, 1.0, max(float(span), 2.0), degree)
        # Through a stated value at time 0: time times polynomials of one degree less.
        return time[:, None] * chebyshev_design(time, 1.0, max(float(span), 2.0), degree - 1)

    def _groups(self, plan: RegressionPlan) -> dict[str, Any]:
        return {"trend": list(range(int(plan.estimated), len(plan.names)))}

    def _estimates(
        self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> tuple[tuple[str, ...], FloatArray, FloatArray]:
        names, values, covariance = super()._estimates(plan, y, x, row, series)
        own = len(plan.names)
        powers, matrix = in_powers(values[:own], np.eye(own), 1.0, max(float(row[plan.size + 2]), 2.0))
        whole_matrix = np.eye(plan.size)
        whole_matrix[:own, :own] = matrix
        if plan.robust:
            return names, np.concatenate((powers, values[own:])), whole_matrix @ covariance @ whole_matrix.T
        # R^-1 turned exactly, then squared: the covariance itself would lose its digits.
        factor = row[plan.size + HEAD :].reshape(plan.size, plan.size).copy()
        factor[:own] = in_powers(values[:own], factor[:own], 1.0, max(float(row[plan.size + 2]), 2.0))[1]
        return names, np.concatenate((powers, values[own:])), row[plan.size] * factor @ factor.T

    def _words(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say which way the curve runs at the end."""
        basis = self._basis(plan, y.size, int(row[plan.size + 2]))[:, : len(plan.names)] @ row[: len(plan.names)]
        slope = float(basis[y.size] - basis[y.size - 1])
        way = "rises" if slope >= 0 else "falls"
        degree = plan.details["degree"]
        return (
            f"A curve of degree {degree} runs through the whole history, all of which counts alike. At its end it "
            f"{way} by {quantity(abs(slope), series.unit)} a {series.cadence.noun}, and forecasts go on along it. "
            f"No season is seen.{self._effects_said(plan, row, series.unit)}"
        )

    def _equation(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The polynomial in plain powers."""
        own = len(plan.names)
        powers = in_powers(row[:own], np.eye(own), 1.0, max(float(row[plan.size + 2]), 2.0))[0]
        terms = powers[1:] if plan.estimated else powers
        text = "".join(f"{signed(float(b))} t{'' if j == 0 else f'^{j + 1}'}" for j, b in enumerate(terms))
        head = number(float(powers[0]) if plan.estimated else plan.offset)
        return f"forecast[t] = {head}{text}{self._effect_terms(plan, row)}\n{time_words(plan, row)}"


def _is_base(value: Value) -> bool:
    return isinstance(value, str) or (isinstance(value, int) and not isinstance(value, bool) and value >= 1)


class TrendSeason(LeastSquares):
    """A straight trend plus a fixed amount for each period of the season, by least squares, with drivers and events.

    A period of the season is the base whose dummy is left out: the first of the history, or ``base=``, its name
    (``base=january``) or its number in the season. ``intercept=none`` has a dummy for every period instead.
    Standard errors hold the noise of the new value and the uncertainty of all coefficients; bounds by Student's t with
    n - k degrees of freedom, which is exact for normal errors (Seber and Lee, 2003, section 5.3.1).
    """

    name = "trend-season"
    seasons = "taken out"
    fixed_season = "dummies"
    needs_too = " with every period of the season among them"
    settings = (
        Setting("base", None, "the name of a period of the season, or its number", _is_base),
        *regression_settings(),
    )

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse a base where every period has its dummy."""
        if settings.get("base") is not None and settings["intercept"] != "estimated":
            raise SettingError(self.name, "base= goes with intercept=estimated; without one no period is the base")

    def _names(self, settings: Mapping[str, Any], season_length: int) -> tuple[str, ...]:
        if settings["intercept"] == "estimated":
            return ("intercept", SLOPE, *(f"phase {j + 1}" for j in range(1, season_length)))
        return (SLOPE, *(f"phase {j + 1}" for j in range(season_length)))

    def _obstacle(self, plan: RegressionPlan) -> Status:
        return Status.DONE if plan.season_length > 1 else Status.NO_SEASON

    def _basis(self, plan: RegressionPlan, n: int, span: int) -> FloatArray:
        return _line_and_dummies(n + plan.horizon, plan.season_length, plan.estimated)

    def _groups(self, plan: RegressionPlan) -> dict[str, Any]:
        at = int(plan.estimated)
        return {"trend": [at], season_name(plan.season_length): list(range(at + 1, len(plan.names)))}

    def _estimates(
        self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> tuple[tuple[str, ...], FloatArray, FloatArray]:
        """Against the base that was asked for: the same line and season, told from another period."""
        _, values, covariance = super()._estimates(plan, y, x, row, series)
        first = series.start + len(series) - y.size
        phases = [series.phase_name(first + j) for j in range(plan.season_length)]
        drivers = tuple(column.name for column in plan.columns)
        if not plan.estimated:
            return (change_label(series.cadence), *phases, *drivers), values, covariance
        base = self._base(plan, phases, first)
        turn = np.eye(plan.size)
        if base > 0:
            turn[0, 1 + base] = 1.0
            turn[2 : plan.season_length + 1, 1 + base] -= 1.0
            turn[1 + base] = 0.0
            turn[1 + base, 1 + base] = -1.0
        # The row of the base's own dummy now tells of the first period.
        order = [0, 1, *(1 + base if j == 0 else 1 + j for j in range(plan.season_length) if j != base)]
        order += list(range(plan.season_length + 1, plan.size))
        names = tuple(f"{phases[j]} (against {phases[base]})" for j in range(plan.season_length) if j != base)
        moved, spread = turn @ values, turn @ covariance @ turn.T
        names = ("intercept", change_label(series.cadence), *names, *drivers)
        return names, moved[order], spread[np.ix_(order, order)]

    def _base(self, plan: RegressionPlan, phases: list[str], first: int) -> int:
        """Which phase of the span is the base."""
        wanted = plan.details.get("base")
        if wanted is None:
            return 0
        for j, phase in enumerate(phases):
            number_in_season = (first + j) % plan.season_length + 1
            if str(wanted).lower() in (phase.lower(), str(number_in_season)):
                return j
        raise SettingError(self.name, f"base= names no period of the season; there are {', '.join(phases)}")

    def _words(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how trend and season run."""
        first = series.start + len(series) - y.size
        at = int(plan.estimated)
        season = np.concatenate((np.zeros(at), row[at + 1 : len(plan.names)]))
        top, bottom = int(season.argmax()), int(season.argmin())
        return (
            f"{line_words(float(row[at]), series)} On top lies a fixed season, "
            f"highest in {series.phase_name(first + top)} and lowest in {series.phase_name(first + bottom)}, "
            f"{quantity(season[top] - season[bottom], series.unit)} apart.{self._effects_said(plan, row, series.unit)}"
        )

    def _equation(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The line with its numbers; the dummies are in the table of coefficients."""
        slope = signed(float(row[int(plan.estimated)]))
        effects = self._effect_terms(plan, row)
        line = f"forecast[t] = {self._head(plan, row)}{slope} t + effect of the period of the season{effects}"
        return f"{line}\n{time_words(plan, row)}"


def line_of(plan: RegressionPlan, n: int) -> FloatArray:
    """Ones, where the intercept is estimated, and time from 1 on."""
    return _line(n + plan.horizon, plan.estimated)


def _line(rows: int, estimated: bool) -> FloatArray:
    time = np.arange(1.0, rows + 1.0)
    return np.column_stack((np.ones(rows), time)) if estimated else time[:, None]


@lru_cache(maxsize=256)
def _line_and_dummies(rows: int, season_length: int, estimated: bool) -> FloatArray:
    """A line and a column for each period of the season but a base: the same for all items of as many periods."""
    dummies = np.arange(rows)[:, None] % season_length == np.arange(int(estimated), season_length)
    found = np.hstack((_line(rows, estimated), dummies.astype(np.float64)))
    found.flags.writeable = False
    return found


def line_words(slope: float, series: ItemHistory) -> str:
    """Say how a line runs."""
    way = "rises" if slope >= 0 else "falls"
    return (
        f"Demand {way} by {quantity(abs(slope), series.unit)} a {series.cadence.noun} along one straight line through "
        f"the whole history, all of which counts alike."
    )


def time_words(plan: RegressionPlan, row: FloatArray) -> str:
    """Say how time counts, and what is left of demand."""
    spread = number(float(np.sqrt(row[plan.size])))
    return f"t = 1, 2, ... from the first value on; the residual standard deviation {spread}"
