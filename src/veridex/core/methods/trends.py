"""Regressions on time: straight and bent lines, period dummies, waves."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from veridex.core.history.item import ItemHistory
from veridex.core.methods.contract import FloatArray
from veridex.core.methods.regression import HEAD, LeastSquares, RegressionPlan, regression_settings
from veridex.core.methods.settings import Setting, Value, whole, yes_no
from veridex.core.methods.status import Status
from veridex.core.methods.words import number, quantity, signed
from veridex.core.numerics.regression import chebyshev_design, in_powers
from veridex.errors import SettingError

__all__ = ["CYCLES", "WAVES", "Harmonic", "LinearTrend", "PolyTrend", "TrendDummies", "check_waves"]


class LinearTrend(LeastSquares):
    """A straight line through the history, by least squares, with drivers and events.

    Time counts 1, 2, ... from the first value. ``intercept=none`` sends the line through zero at time 0,
    ``intercept=NUMBER`` through that number. Standard errors hold the noise of the new value and the uncertainty of all
    coefficients; bounds by Student's t with n - k degrees of freedom, exact for normal errors (Seber and Lee, 2003,
    section 5.3.1). ``errors=autocorrelated`` gives the coefficients' standard errors by Newey and West (1987).
    """

    name = "linear-trend"
    settings = regression_settings()

    def _names(self, settings: Mapping[str, Any], cycle: int) -> tuple[str, ...]:
        return (*(["intercept"] if settings["intercept"] == "estimated" else []), "trend")

    def _basis(self, plan: RegressionPlan, n: int, span: int) -> FloatArray:
        return _line(plan, n)

    def _groups(self, plan: RegressionPlan) -> dict[str, Any]:
        return {"trend": [int(plan.estimated)]}

    def in_words(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how the line runs."""
        slope = float(row[int(plan.estimated)])
        return f"{_line_words(slope, series)} No season is seen.{self._effects_said(plan, row, series.unit)}"

    def equation(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The line with its numbers."""
        slope = signed(float(row[int(plan.estimated)]))
        line = f"forecast[t] = {self._head(plan, row)}{slope} t{self._effect_terms(plan, row)}"
        return f"{line}\n{_time(plan, row)}"


class PolyTrend(LeastSquares):
    """A polynomial of time, by least squares, with drivers and events.

    ``degree=`` 1 to 6. It is estimated on Chebyshev polynomials of the span, which keep their digits, and shown in
    plain powers of time (1, 2, ... from the first value). Beyond the span high degrees run away: look at the
    backtest. Standard errors and bounds as for `linear-trend`. A stated intercept is the value at time 0.
    """

    name = "poly-trend"
    settings = (whole("degree", 1, 6, default=2), *regression_settings())

    def _names(self, settings: Mapping[str, Any], cycle: int) -> tuple[str, ...]:
        powers = tuple("trend" if j == 1 else f"trend^{j}" for j in range(1, settings["degree"] + 1))
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

    def in_words(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
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

    def equation(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The polynomial in plain powers."""
        own = len(plan.names)
        powers = in_powers(row[:own], np.eye(own), 1.0, max(float(row[plan.size + 2]), 2.0))[0]
        terms = powers[1:] if plan.estimated else powers
        text = "".join(f"{signed(float(b))} t{'' if j == 0 else f'^{j + 1}'}" for j, b in enumerate(terms))
        head = number(float(powers[0]) if plan.estimated else plan.offset)
        return f"forecast[t] = {head}{text}{self._effect_terms(plan, row)}\n{_time(plan, row)}"


def _is_base(value: Value) -> bool:
    return isinstance(value, str) or (isinstance(value, int) and not isinstance(value, bool) and value >= 1)


class TrendDummies(LeastSquares):
    """A straight trend plus a fixed amount for each period of the cycle, by least squares, with drivers and events.

    A period of the cycle is the base whose dummy is left out: the first of the history, or ``base=``, its name
    (``base=january``) or its number in the cycle. ``intercept=none`` has a dummy for every period instead.
    Standard errors hold the noise of the new value and the uncertainty of all coefficients; bounds by Student's t with
    n - k degrees of freedom, which is exact for normal errors (Seber and Lee, 2003, section 5.3.1).
    """

    name = "trend-dummies"
    settings = (
        Setting("base", None, "the name of a period of the cycle, or its number", _is_base),
        *regression_settings(),
    )

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse a base where every period has its dummy."""
        if settings.get("base") is not None and settings["intercept"] != "estimated":
            raise SettingError(self.name, "base= goes with intercept=estimated; without one no period is the base")

    def _names(self, settings: Mapping[str, Any], cycle: int) -> tuple[str, ...]:
        if settings["intercept"] == "estimated":
            return ("intercept", "trend", *(f"phase {j + 1}" for j in range(1, cycle)))
        return ("trend", *(f"phase {j + 1}" for j in range(cycle)))

    def _obstacle(self, plan: RegressionPlan) -> Status:
        return Status.DONE if plan.cycle > 1 else Status.NO_SEASON

    def _basis(self, plan: RegressionPlan, n: int, span: int) -> FloatArray:
        line = _line(plan, n)
        first = int(plan.estimated)
        phases = np.arange(n + plan.horizon) % plan.cycle
        return np.hstack((line, (phases[:, None] == np.arange(first, plan.cycle)).astype(np.float64)))

    def _groups(self, plan: RegressionPlan) -> dict[str, Any]:
        at = int(plan.estimated)
        return {"trend": [at], "season": list(range(at + 1, len(plan.names)))}

    def _estimates(
        self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> tuple[tuple[str, ...], FloatArray, FloatArray]:
        """Against the base that was asked for: the same line and season, told from another period."""
        _, values, covariance = super()._estimates(plan, y, x, row, series)
        first = series.start + len(series) - y.size
        phases = [series.phase_name(first + j) for j in range(plan.cycle)]
        drivers = tuple(column.name for column in plan.columns)
        if not plan.estimated:
            return ("trend", *phases, *drivers), values, covariance
        base = self._base(plan, phases, first)
        turn = np.eye(plan.size)
        if base > 0:
            turn[0, 1 + base] = 1.0
            turn[2 : plan.cycle + 1, 1 + base] -= 1.0
            turn[1 + base] = 0.0
            turn[1 + base, 1 + base] = -1.0
        # The row of the base's own dummy now tells of the first period.
        order = [0, 1, *(1 + base if j == 0 else 1 + j for j in range(plan.cycle) if j != base)]
        order += list(range(plan.cycle + 1, plan.size))
        names = tuple(f"{phases[j]} (against {phases[base]})" for j in range(plan.cycle) if j != base)
        moved, spread = turn @ values, turn @ covariance @ turn.T
        return ("intercept", "trend", *names, *drivers), moved[order], spread[np.ix_(order, order)]

    def _base(self, plan: RegressionPlan, phases: list[str], first: int) -> int:
        """Which phase of the span is the base."""
        wanted = plan.details.get("base")
        if wanted is None:
            return 0
        for j, phase in enumerate(phases):
            number_in_cycle = (first + j) % plan.cycle + 1
            if str(wanted).lower() in (phase.lower(), str(number_in_cycle)):
                return j
        raise SettingError(self.name, f"base= names no period of the cycle; there are {', '.join(phases)}")

    def in_words(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how trend and season run."""
        first = series.start + len(series) - y.size
        at = int(plan.estimated)
        season = np.concatenate((np.zeros(at), row[at + 1 : len(plan.names)]))
        top, bottom = int(season.argmax()), int(season.argmin())
        return (
            f"{_line_words(float(row[at]), series)} On top lies a fixed season, "
            f"highest in {series.phase_name(first + top)} and lowest in {series.phase_name(first + bottom)}, "
            f"{quantity(season[top] - season[bottom], series.unit)} apart.{self._effects_said(plan, row, series.unit)}"
        )

    def equation(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The line with its numbers; the dummies are in the table of coefficients."""
        slope = signed(float(row[int(plan.estimated)]))
        effects = self._effect_terms(plan, row)
        line = f"forecast[t] = {self._head(plan, row)}{slope} t + effect of the period of the cycle{effects}"
        return f"{line}\n{_time(plan, row)}"

    def needs(self, plan: RegressionPlan) -> str:
        """More values than coefficients, and every season seen."""
        return f"{plan.size + 1} known periods with every period of the cycle among them"


def _are_lengths(value: Value) -> bool:
    numbers = isinstance(value, list) and all(isinstance(c, (int, float)) and not isinstance(c, bool) for c in value)
    return numbers and 0 < len(value) <= 6 and min(value) >= 2 and len(set(value)) == len(value)  # type: ignore[arg-type]


def _are_counts(value: Value) -> bool:
    whole_ones = isinstance(value, list) and all(isinstance(w, int) and not isinstance(w, bool) for w in value)
    return whole_ones and bool(value) and min(value) >= 1 and max(value) <= 200  # type: ignore[arg-type]


CYCLES = Setting("cycles", None, "up to six lengths from 2 on, as in [24, 168]", _are_lengths)
WAVES = Setting("waves", None, "how many waves of each cycle, as in [2, 4]", _are_counts)


def check_waves(name: str, settings: Mapping[str, Value]) -> None:
    """Refuse numbers of waves that do not go with the cycles."""
    cycles, waves = settings.get("cycles"), settings.get("waves")
    if not isinstance(waves, list):
        return
    if not isinstance(cycles, list):
        cycles = [float("inf")]
    if len(waves) != len(cycles):
        raise SettingError(name, f"{len(cycles)} cycles need {len(cycles)} numbers of waves, got {len(waves)}")
    for cycle, count in zip(cycles, waves, strict=True):
        if 2 * count > cycle:
            raise SettingError(name, f"a cycle of {cycle:g} has at most {int(cycle // 2)} waves, got {count}")


MOST_WAVES = 3
"""Waves of a cycle where their number is not stated."""


class Harmonic(LeastSquares):
    """A straight trend plus sine and cosine waves of one cycle or several, by least squares, with drivers and events.

    ``cycles=[24, 168]`` names the lengths, which may be fractions (``cycles=[52.18]``), ``waves=[2, 4]`` how many
    waves of each: its length, a half of it, a third ... By default the cycle of the history with up to three waves.
    ``trend=no`` leaves the line out. Standard errors and bounds as for `linear-trend`; the waves are those of
    Fourier's theorem (Bloomfield, 2000, Fourier Analysis of Time Series, 2nd ed., chapter 4).
    """

    name = "harmonic"
    settings = (
        CYCLES,
        WAVES,
        yes_no("trend", default=True),
        *regression_settings(),
    )

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse numbers of waves that do not go with the cycles."""
        check_waves(self.name, settings)

    def _waves(self, settings: Mapping[str, Any], cycle: int) -> list[tuple[float, int, str]]:
        """Cycle, number of the wave, and sine or cosine; a sine that is zero at every period is left out."""
        lengths = settings.get("cycles") or ([cycle] if cycle > 1 else [])
        counts = settings.get("waves") or [min(MOST_WAVES, int(length // 2)) for length in lengths]
        found = []
        for length, count in zip(lengths, counts, strict=True):
            for k in range(1, min(count, int(length // 2)) + 1):
                found += [(float(length), k, kind) for kind in ("sin", "cos") if kind == "cos" or 2 * k != length]
        return found

    def _names(self, settings: Mapping[str, Any], cycle: int) -> tuple[str, ...]:
        head = ["intercept"] if settings["intercept"] == "estimated" else []
        head += ["trend"] if settings["trend"] else []
        return (*head, *(f"{kind} {length / k:g}" for length, k, kind in self._waves(settings, cycle)))

    def _obstacle(self, plan: RegressionPlan) -> Status:
        return Status.DONE if self._waves(plan.details, plan.cycle) else Status.NO_SEASON

    def _basis(self, plan: RegressionPlan, n: int, span: int) -> FloatArray:
        line = _line(plan, n)
        if not plan.details["trend"]:
            line = line[:, :-1]
        time = np.arange(1.0, n + plan.horizon + 1.0)
        waves = [
            (np.sin if kind == "sin" else np.cos)(2.0 * np.pi * k * time / length)
            for length, k, kind in self._waves(plan.details, plan.cycle)
        ]
        return np.column_stack((line, *waves))

    def _groups(self, plan: RegressionPlan) -> dict[str, Any]:
        at = int(plan.estimated)
        groups: dict[str, Any] = {"trend": [at]} if plan.details["trend"] else {}
        at += bool(plan.details["trend"])
        for j, (length, _, _) in enumerate(self._waves(plan.details, plan.cycle)):
            groups.setdefault(f"season of {length:g}", []).append(at + j)
        return groups

    def in_words(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how the line runs and how far each season swings."""
        said = []
        if plan.details["trend"]:
            said.append(_line_words(float(row[int(plan.estimated)]), series))
        basis = self._basis(plan, y.size, y.size)
        for name, where in self._groups(plan).items():
            if name != "trend":
                swing = float(np.ptp(basis[:, where] @ row[where]))
                said.append(f"A {name} {series.cadence.plural} swings by {quantity(swing, series.unit)}.")
        return " ".join(said) + self._effects_said(plan, row, series.unit)

    def equation(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Line and waves with their numbers."""
        at = int(plan.estimated)
        text = f"forecast[t] = {self._head(plan, row)}"
        if plan.details["trend"]:
            text += f"{signed(float(row[at]))} t"
            at += 1
        for j, (length, k, kind) in enumerate(self._waves(plan.details, plan.cycle)):
            text += f"{signed(float(row[at + j]))} {kind}(2 pi t / {length / k:g})"
        return f"{text}{self._effect_terms(plan, row)}\n{_time(plan, row)}"


def _line(plan: RegressionPlan, n: int) -> FloatArray:
    """Ones, where the intercept is estimated, and time from 1 on."""
    time = np.arange(1.0, n + plan.horizon + 1.0)
    return np.column_stack((np.ones(time.size), time)) if plan.estimated else time[:, None]


def _line_words(slope: float, series: ItemHistory) -> str:
    way = "rises" if slope >= 0 else "falls"
    return (
        f"Demand {way} by {quantity(abs(slope), series.unit)} a {series.cadence.noun} along one straight line through "
        f"the whole history, all of which counts alike."
    )


def _time(plan: RegressionPlan, row: FloatArray) -> str:
    spread = number(float(np.sqrt(row[plan.size])))
    return f"t = 1, 2, ... from the first value on; the residual standard deviation {spread}"
