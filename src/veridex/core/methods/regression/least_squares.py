"""Least-squares methods: what they have in common. The families are in `trends` and `driver_regression`."""

import math
from abc import abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.family import RolledFamily
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.labels import change_label
from veridex.core.methods.fold.paths import effect_parts
from veridex.core.methods.fold.plan import Plan, Rows, Sizes
from veridex.core.methods.fold.settings import DRIVER_SETTINGS, Setting, Value, choice
from veridex.core.methods.fold.status import Status
from veridex.core.methods.regression.collinear import dependent, told_apart
from veridex.core.methods.regression.rolled import HEAD, ILL, regression_ahead, roll_ordinary
from veridex.core.methods.words import effect_words, signed
from veridex.core.numerics.regression.ordinary import gaussian_log_likelihood, newey_west, ordinary_least_squares
from veridex.core.readable import number

__all__ = ["INTERCEPT", "SLOPE", "LeastSquares", "RegressionPlan", "intercept_of", "regression_settings"]


def _is_intercept(value: Value) -> bool:
    return value in ("estimated", "none") or (isinstance(value, (int, float)) and not isinstance(value, bool))


SLOPE = "slope"
"""The column of time; shown by what it is, a change per period."""

INTERCEPT = Setting("intercept", "estimated", "estimated, none or a number", _is_intercept)


def regression_settings() -> tuple[Setting, ...]:
    """Settings of every regression, after its own."""
    return (INTERCEPT, choice("errors", "ordinary", "autocorrelated", default="ordinary"), *DRIVER_SETTINGS)


def intercept_of(settings: Mapping[str, Any]) -> tuple[bool, float]:
    """Whether the intercept is estimated, and what is taken off demand where it is stated."""
    value = settings["intercept"]
    return value == "estimated", float(value) if not isinstance(value, str) else 0.0


@dataclass(frozen=True, slots=True)
class RegressionPlan(Plan):
    """Columns of a regression before its drivers, and how it is made."""

    names: tuple[str, ...] = ()
    estimated: bool = True
    offset: float = 0.0
    robust: bool = False
    details: Mapping[str, Any] = field(default_factory=dict, repr=False)

    @property
    def size(self) -> int:
        """Coefficients, those of drivers and events included."""
        return len(self.names) + len(self.columns)


class LeastSquares(RolledFamily[RegressionPlan]):
    """A regression by ordinary least squares on columns of its own, drivers and events.

    A row holds the coefficients (zero where a column's effect cannot be told), variance, degrees of freedom, the
    length of the span, then R^-1.
    """

    takes_drivers = True
    needs_too: ClassVar[str] = ""
    scaled: ClassVar[bool] = False

    @abstractmethod
    def _names(self, settings: Mapping[str, Any], season_length: int) -> tuple[str, ...]:
        """Names of the method's own columns; ``intercept`` first where it is estimated."""

    @abstractmethod
    def _basis(self, plan: RegressionPlan, n: int, span: int) -> FloatArray:
        """The method's own columns for n periods and the lead times after them, shape (n + horizon, own).

        `span` is the number of periods that they were scaled for.
        """

    def _obstacle(self, plan: RegressionPlan) -> Status:
        """Why it can never be fitted."""
        return Status.DONE

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> RegressionPlan:
        """Row: coefficients, variance, degrees of freedom, length of the span, then R^-1 of the design row by row."""
        names = self._names(settings, sizes.season_length)
        k = len(names) + len(sizes.columns)
        estimated, offset = intercept_of(settings)
        return RegressionPlan(
            sizes,
            row_size=k + HEAD + k * k,
            needs=f"{k + 1} known periods{self.needs_too}",
            names=names,
            estimated=estimated,
            offset=offset,
            robust=settings["errors"] == "autocorrelated",
            details=settings,
        )

    def rolls(self, plan: RegressionPlan) -> bool:
        """Columns that are scaled by their span, and drivers, are another design in each fold."""
        return not (self.scaled or plan.columns) and self._obstacle(plan) == Status.DONE

    def _roll(self, plan: RegressionPlan, folds: Folds, warm: FloatArray) -> None:
        """Estimate by least squares, and forecast."""
        longest = int(np.diff(folds.ends).max(initial=0))
        roll_ordinary(folds, np.array(self._basis(plan, longest, longest)), plan.offset)
        for o in np.flatnonzero(folds.status == ILL).tolist():
            folds.status[o] = self._run(plan, folds.span(o), None, folds.at(o))

    def run(self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """The same from a single origin, with drivers and events."""
        return super().run(plan, y, x, warm, out) if self.rolls(plan) else self._run(plan, y, x, out)

    def _run(self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Estimate, and refine where columns nearly depend on each other; forecast."""
        hindered = self._obstacle(plan)
        if hindered != Status.DONE:
            return hindered
        known = ~np.isnan(y)
        design = self._design(plan, y.size, x)
        past = design[: y.size] if known.all() else design[: y.size][known]
        used = self._used(plan, past)
        k, n = int(np.count_nonzero(used)), past.shape[0]
        if n <= k:
            return Status.TOO_SHORT
        found = ordinary_least_squares(past if k == plan.size else past[:, used], y[known] - plan.offset)
        if found is None:
            return Status.DEPENDENT if plan.columns and used[len(plan.names) :].any() else Status.TOO_SHORT
        self._store(plan, used, found, n, y.size, out)
        return self._ahead(plan, design, out)

    def _design(self, plan: RegressionPlan, n: int, x: FloatArray | None, row: FloatArray | None = None) -> FloatArray:
        basis = self._basis(plan, n, n if row is None else int(row[plan.size + 2]))
        return np.array(basis) if x is None else np.hstack((basis, x))

    def _used(self, plan: RegressionPlan, past: FloatArray) -> Any:
        """Columns whose effect can be told: the method's own, and drivers and events that those do not explain."""
        used = np.ones(plan.size, dtype=bool)
        if plan.columns:
            own = len(plan.names)
            used[own:] = told_apart(past[:, :own], past[:, own:])
        return used

    def _store(
        self, plan: RegressionPlan, used: Any, found: tuple[FloatArray, FloatArray, float], n: int, span: int, out: Rows
    ) -> None:
        """Write estimates into the row, and what they rest on into the stats."""
        coefficients, factor, total = found
        k, size = coefficients.size, plan.size
        out.row[:] = 0.0
        out.row[:size][used] = coefficients
        out.row[size : size + HEAD] = (total / (n - k), n - k, span)
        whole = out.row[size + HEAD :].reshape(size, size)
        whole[used, :k] = factor
        out.stats[:] = (gaussian_log_likelihood(total, n), n, k + 1, 0)

    def _ahead(self, plan: RegressionPlan, design: FloatArray, out: Rows) -> Status:
        """Fitted values, forecasts, their standard errors, and bounds by Student's t."""
        regression_ahead(design, plan.offset, out.row, out.fitted, out.points, out.std_error, out.law)
        return Status.DONE

    def replay(self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Continue trend and season, with given drivers."""
        return self._ahead(plan, self._design(plan, y.size, x, out.row), out)

    def effects_ahead(self, plan: RegressionPlan, row: FloatArray) -> FloatArray:
        """The effects of drivers and events."""
        return row[len(plan.names) : plan.size]

    def paths(
        self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray
    ) -> FloatArray:
        """Independent errors around the forecasts, given the coefficients; scaled to the whole standard error."""
        rows = Rows.allocate(plan, y.size)
        rows.row[:] = row
        self.replay(plan, y, x, rows)
        return rows.points + rows.std_error * shocks

    def _coefficients(
        self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """Estimates with standard errors: ordinary ones, or those that autocorrelated errors allow."""
        names, values, covariance = self._estimates(plan, y, x, row, series)
        errors = np.sqrt(np.maximum(np.diag(covariance), 0.0))
        shown = errors > 0.0 if row[plan.size] > 0.0 else values != 0.0
        kept = tuple(name for name, one in zip(names, shown, strict=True) if one)
        return Coefficients(kept, values[shown], errors[shown], float(row[plan.size + 1]))

    def _estimates(
        self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> tuple[tuple[str, ...], FloatArray, FloatArray]:
        """Names, values and covariance of all coefficients."""
        names = self._shown_names(plan, y, series) + tuple(column.name for column in plan.columns)
        return names, row[: plan.size].copy(), self._covariance(plan, y, x, row)

    def _shown_names(self, plan: RegressionPlan, y: FloatArray, series: ItemHistory) -> tuple[str, ...]:
        """Names of the method's own columns, for the analyst."""
        return tuple(change_label(series.cadence) if name == SLOPE else name for name in plan.names)

    def _covariance(self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, row: FloatArray) -> FloatArray:
        size = plan.size
        factor = row[size + HEAD :].reshape(size, size)
        if not plan.robust:
            return np.asarray(row[size] * factor @ factor.T)
        design = self._design(plan, y.size, x, row)[: y.size]
        errors = y - design @ row[:size] - plan.offset
        known = ~np.isnan(errors)
        return newey_west(design[known], errors[known], factor)

    def _innovations(self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, row: FloatArray) -> FloatArray:
        """Residuals."""
        return y - self._design(plan, y.size, x, row)[: y.size] @ row[: plan.size] - plan.offset

    def _contributions(
        self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, row: FloatArray
    ) -> dict[str, FloatArray]:
        """The method's own parts, then each driver (against its mean) and event."""
        own = len(plan.names)
        design = self._design(plan, y.size, x, row)
        parts = effect_parts(plan.columns, row[own : plan.size], design[:, own:], y.size)
        whole = design @ row[: plan.size] + plan.offset
        groups = {key: design[:, where] @ row[where] for key, where in self._groups(plan).items()}
        rest = whole - sum(parts.values()) - sum(groups.values())
        return {"level": rest, **groups, **parts}

    def _groups(self, plan: RegressionPlan) -> dict[str, Any]:
        """The method's own columns that make a part, by its name; what is left is the level."""
        return {}

    def _flags(self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, row: FloatArray) -> tuple[str, ...]:
        """Autocorrelated residuals, which ordinary standard errors do not allow for."""
        statistic = durbin_watson(self._innovations(plan, y, x, row))
        n = int(np.count_nonzero(~np.isnan(y)))
        # The first autocorrelation, about 1 - d/2, beyond two of its standard errors.
        if plan.robust or not abs(1.0 - 0.5 * statistic) > 2.0 / math.sqrt(n):
            return ()
        return ("autocorrelated residuals: ordinary standard errors mislead, see errors=autocorrelated",)

    def _figures(self, plan: RegressionPlan, y: FloatArray, x: FloatArray | None, row: FloatArray) -> dict[str, float]:
        """R2, adjusted R2, F with its degrees of freedom, residual standard deviation, Durbin-Watson.

        Without an estimated intercept R2 is about zero, not about the mean (Seber and Lee, 2003, section 4.4).
        """
        errors = self._innovations(plan, y, x, row)
        known = y[~np.isnan(y)] - plan.offset
        size, degrees = plan.size, float(row[plan.size + 1])
        centre = known.mean() if plan.estimated else 0.0
        whole, rest = float(np.square(known - centre).sum()), float(np.nansum(np.square(errors)))
        k = known.size - degrees - plan.estimated
        explained = (whole - rest) / k if k else np.nan
        return {
            "r2": 1.0 - rest / whole if whole else np.nan,
            "adjusted_r2": 1.0 - rest / degrees / (whole / (known.size - plan.estimated)) if whole else np.nan,
            "f": explained / float(row[size]) if row[size] > 0.0 else np.nan,
            "f_degrees": k,
            "degrees": degrees,
            "standard_deviation": math.sqrt(float(row[size])),
            "durbin_watson": durbin_watson(errors),
        }

    def _effects_said(self, plan: RegressionPlan, row: FloatArray, unit: str | None) -> str:
        """What drivers and events do, after a space; empty without any."""
        if not plan.columns:
            return ""
        return " " + effect_words(plan.columns, row[len(plan.names) : plan.size], unit)

    def _effect_terms(self, plan: RegressionPlan, row: FloatArray) -> str:
        """Terms of drivers and events in an equation."""
        effects = row[len(plan.names) : plan.size]
        return "".join(f"{signed(float(b))} {c.name}[t]" for b, c in zip(effects, plan.columns, strict=True) if b)

    def _head(self, plan: RegressionPlan, row: FloatArray) -> str:
        """The intercept of an equation."""
        return number(float(row[0]) if plan.estimated else plan.offset)

    def dependent(self, plan: RegressionPlan, y: FloatArray, x: FloatArray) -> tuple[str, ...]:
        """Drivers and own columns that explain each other."""
        past = self._design(plan, y.size, x)[: y.size][~np.isnan(y)]
        used = np.flatnonzero(self._used(plan, past))
        names = [*plan.names, *(column.name for column in plan.columns)]
        return tuple(names[used[j]] for j in dependent(past[:, used]))

    def _variance(self, plan: RegressionPlan, row: FloatArray) -> float:
        """Residual variance."""
        return float(row[plan.size])


def durbin_watson(errors: FloatArray) -> float:
    """Durbin and Watson's statistic over known neighbours: about 2 without autocorrelation (1950, Biometrika 37)."""
    known = errors[~np.isnan(errors)]
    total = float(np.square(known).sum())
    return float(np.nansum(np.square(np.diff(errors)))) / total if total > 0.0 else np.nan
