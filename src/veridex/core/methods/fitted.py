"""`fit` and what it returns: a method fitted to one series, and forecasts made with it."""

import json
import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import pandas as pd
from scipy.special import ndtr, stdtr

from veridex.core.diagnosis.audit import Audit, audit_errors
from veridex.core.history.cadence import Cadence
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.methods.catalogue import Method
from veridex.core.methods.catalogue import method as as_method
from veridex.core.methods.contract import STATS, FloatArray, Plan, Rows, run_fold
from veridex.core.methods.criteria import criteria
from veridex.core.methods.levels import DEFAULT_LEVELS, bound_columns, checked_levels
from veridex.core.methods.next_steps import next_steps
from veridex.core.methods.status import Status, reason_for
from veridex.core.preparation.training import training_values
from veridex.errors import ParameterError

__all__ = ["Fitted", "Forecast", "fit"]

FORMAT = "veridex fitted method 1"


def fit(series: History | ItemHistory, method: str | Method) -> "Fitted":
    """Fit a method to one series.

    Parameters
    ----------
    series : ItemHistory or History of one item
    method : str or Method
        As in the catalogue, ``"holt-winters season=additive"``.

    Returns
    -------
    Fitted
        Where the method cannot be fitted to this series, its `reason` says why and its numbers are NaN.

    Raises
    ------
    MethodUnknown, SettingError, ParameterError
        If the method's text is wrong or several items were passed.

    Examples
    --------
    >>> history = History.from_numbers([3, 5, 4, 6], cadence="counted")
    >>> fit(history, "mean").forecast(1, levels=(80,)).frame.round(2)
       period  step  point  stderr  lower_80  upper_80 reason
    0       5     1    4.5    1.44      2.14      6.86
    """
    chosen, one = as_method(method), only_item(series)
    y = training_values(one.values, len(one))
    plan = chosen.family.prepare(chosen.settings, one.cycle_length, 1, ())
    rows = Rows.allocate(plan, y.size)
    status = run_fold(chosen.family, plan, y, None, np.zeros(plan.warm_size), rows)
    return Fitted(method=chosen, series=one, status=status, row=rows.row, stats=rows.stats, fitted_tail=rows.fitted)


@dataclass(frozen=True, eq=False, kw_only=True)
class Fitted:
    """A method fitted to one series.

    Attributes
    ----------
    method : Method
    series : ItemHistory
        What it was fitted, or since `apply` is applied, to.
    status : Status
    row : ndarray
        The parameters, laid out as the family's kernel has them.
    applied : bool
        Whether the series is newer data than the parameters were estimated on; there are then no criteria.
    """

    method: Method
    series: ItemHistory
    status: Status = field(repr=False)
    row: FloatArray = field(repr=False)
    stats: FloatArray = field(repr=False)
    fitted_tail: FloatArray = field(repr=False)
    applied: bool = False

    def __post_init__(self) -> None:
        for array in (self.row, self.stats, self.fitted_tail):
            array.flags.writeable = False

    @property
    def available(self) -> bool:
        """Whether there are parameters to forecast with."""
        return self.status <= Status.DONE

    @property
    def reason(self) -> str:
        """Why there is no fit, or what is remarkable about it; empty where all is well."""
        return reason_for(self.status, self.method.family.needs(self._plan))

    @cached_property
    def _plan(self) -> Plan:
        return self._prepare(1, ())

    def _prepare(self, horizon: int, levels: tuple[float, ...]) -> Plan:
        plan: Plan = self.method.family.prepare(self.method.settings, self.series.cycle_length, horizon, levels)
        return plan

    @property
    def _values(self) -> FloatArray:
        return training_values(self.series.values, len(self.series))

    @property
    def fitted_values(self) -> FloatArray:
        """One-step forecasts inside the training span, shape (n,); NaN where there is none."""
        return np.concatenate((np.full(len(self.series) - self.fitted_tail.size, np.nan), self.fitted_tail))

    @property
    def residuals(self) -> FloatArray:
        """Actual less fitted, shape (n,)."""
        return self.series.values - self.fitted_values

    @property
    def nobs(self) -> int:
        """Values that entered the likelihood."""
        return 0 if np.isnan(self.stats[1]) else int(self.stats[1])

    @property
    def parameters(self) -> int:
        """Quantities estimated, starting values and variance included."""
        return 0 if np.isnan(self.stats[2]) else int(self.stats[2])

    @property
    def log_likelihood(self) -> float:
        """Gaussian log-likelihood at the estimates."""
        return float(self.stats[0])

    @property
    def aic(self) -> float:
        """Akaike's criterion: -2 log-likelihood + 2 k."""
        return criteria(self.stats)["aic"]

    @property
    def aicc(self) -> float:
        """Akaike's criterion corrected for small samples (Hurvich and Tsai, 1989, Biometrika 76, 297-307)."""
        return criteria(self.stats)["aicc"]

    @property
    def bic(self) -> float:
        """Schwarz's criterion: -2 log-likelihood + k log n."""
        return criteria(self.stats)["bic"]

    @property
    def variance(self) -> float:
        """Variance of the one-step errors (of relative ones where errors are multiplicative)."""
        return self.method.family.variance(self._plan, self.row)

    @cached_property
    def coefficients(self) -> pd.DataFrame:
        """A row per estimate: name, value, std_error, ratio, p_value (NaN where the likelihood gives none)."""
        columns = ["name", "value", "std_error", "ratio", "p_value"]
        if not self.available:
            return pd.DataFrame(columns=columns)
        found = self.method.family.coefficients(self._plan, self._values, self.row, self.series)
        with np.errstate(divide="ignore", invalid="ignore"):
            ratio = found.values / found.errors
        below = ndtr(-np.abs(ratio)) if math.isinf(found.degrees) else stdtr(found.degrees, -np.abs(ratio))
        table = (list(found.names), np.array(found.values), found.errors, ratio, 2 * below)
        return pd.DataFrame(dict(zip(columns, table, strict=True)))

    def audit(self) -> Audit:
        """Audit the residuals: autocorrelation, bias, normality, spread, season, trend, the largest by period.

        The portmanteau test loses a degree of freedom for each ARMA coefficient and smoothing constant.
        """
        if not self.available:
            return Audit(item=self.series.item, method=self.method.text, scope="training", reason=self.reason)
        return audit_errors(
            self.residuals, self.series, self.series.start, self.method.text, "training", self._memory_coefficients
        )

    @cached_property
    def next_steps(self) -> tuple[str, ...]:
        """What to try next, from what the residuals still show; empty where nothing does."""
        audit = self.audit()
        if audit.reason:
            return ()
        return next_steps(self.method.family.name, audit, self.residuals, self.series.cycle_length, self.coefficients)

    @property
    def _memory_coefficients(self) -> int:
        """Coefficients that describe how values follow each other: those of ARMA parts and smoothing constants."""
        names = self.coefficients["name"].astype(str)
        return int(names.str.fullmatch(r"alpha|beta|gamma|phi|s?(?:ar|ma)\d+", case=False).sum())

    def in_words(self) -> str:
        """Say in plain words what the method does with this series."""
        if not self.available:
            return f"{self.method} is not available for {self.series.item}: {self.reason}."
        return self.method.family.in_words(self._plan, self._values, self.row, self.series)

    def equation(self) -> str:
        """The method with its numbers, a line per equation."""
        if not self.available:
            return ""
        return self.method.family.equation(self._plan, self._values, self.row, self.series)

    @cached_property
    def components(self) -> pd.DataFrame:
        """The parts that the method sees, as columns: period, level, trend, season where it has them, fitted."""
        table: dict[str, Any] = {"period": self.series.periods}
        if self.available:
            for name, part in self.method.family.components(self._plan, self._values, self.row).items():
                table[name] = np.concatenate((np.full(len(self.series) - part.size, np.nan), part))
        return pd.DataFrame(table | {"fitted": self.fitted_values})

    @cached_property
    def candidates(self) -> pd.DataFrame:
        """Everything that a searched method tried, the best first, with its criteria."""
        if self.applied:
            return pd.DataFrame()
        with np.errstate(all="ignore"):
            return self.method.family.candidates(self._plan, self._values)

    def forecast(self, horizon: int, levels: Sequence[float] | float = DEFAULT_LEVELS) -> "Forecast":
        """Forecast the periods after the last.

        Parameters
        ----------
        horizon : int
            Lead times, 1 to `horizon`.
        levels : sequence of float
            Interval levels in percent.

        Raises
        ------
        ParameterError
            If the horizon or a level is out of range.
        """
        if horizon < 1:
            raise ParameterError("horizon", str(horizon), "forecast at least one period")
        plan = self._prepare(horizon, checked_levels(levels))
        y = self._values
        rows = Rows.allocate(plan, y.size)
        rows.row[:] = self.row
        remark = ""
        if self.available:
            with np.errstate(all="ignore"):
                status = self.method.family.replay(plan, y, None, rows)
            remark = reason_for(status, self.method.family.needs(plan))
        return Forecast(
            method=self.method,
            series=self.series,
            levels=plan.levels,
            points=rows.points,
            stderr=rows.stderr,
            lower=rows.lower,
            upper=rows.upper,
            reason=self.reason or remark,
        )

    def apply(self, newer: History | ItemHistory) -> "Fitted":
        """Carry the same coefficients over to newer data of the same item.

        The newer series may continue the old one, overlap it (its values then count) or contain it; what it
        holds before the old one's start is left out.

        Raises
        ------
        ParameterError
            If the item or the cadence is another, or the newer series leaves a gap or ends too early.
        """
        one = only_item(newer)
        if one.item != self.series.item or one.cadence != self.series.cadence:
            raise ParameterError(
                "newer",
                repr(one),
                f"the method was fitted to {self.series.item!r}, {self.series.cadence.name}",
            )
        start, stop = self.series.start, self.series.start + len(self.series)
        if one.start > stop or one.start + len(one) <= start:
            raise ParameterError("newer", repr(one), f"it does not join up with {self.series!r}")
        values = np.concatenate(
            (self.series.values[: max(one.start - start, 0)], one.values[max(start - one.start, 0) :])
        )
        series = ItemHistory(
            item=one.item,
            cadence=one.cadence,
            cycle_length=self.series.cycle_length,
            start=start,
            values=values,
            unit=self.series.unit,
        )
        return self._on(series, applied=True)

    def _on(self, series: ItemHistory, *, applied: bool) -> "Fitted":
        y = training_values(series.values, len(series))
        rows = Rows.allocate(self._plan, y.size)
        rows.row[:] = self.row
        status = self.status
        if self.available:
            replayed = Status(self.method.family.replay(self._plan, y, None, rows))
            status = replayed if replayed > Status.DONE else self.status
        stats = np.full(STATS, np.nan) if applied else self.stats
        return Fitted(
            method=self.method,
            series=series,
            status=status,
            row=rows.row,
            stats=stats,
            fitted_tail=rows.fitted,
            applied=applied,
        )

    def to_json(self) -> str:
        """Write the method, its parameters and its series as JSON; `from_json` gives the same bits back."""
        series = self.series
        return json.dumps(
            {
                "format": FORMAT,
                "method": self.method.text,
                "item": series.item,
                "cadence": series.cadence.name,
                "cycle_length": series.cycle_length,
                "unit": series.unit,
                "start": series.cadence.text(series.start),
                "values": _plain(series.values),
                "status": int(self.status),
                "parameters": _plain(self.row),
                "stats": _plain(self.stats),
                "applied": self.applied,
            },
            indent=1,
        )

    @classmethod
    def from_json(cls, text: str) -> "Fitted":
        """Read what `to_json` wrote.

        Raises
        ------
        ParameterError
            If the text is not of this format.
        """
        try:
            held = json.loads(text)
            if held["format"] != FORMAT:
                raise ParameterError("text", repr(held["format"]), f"this version reads {FORMAT!r}")
            cadence = Cadence.named(held["cadence"])
            series = ItemHistory(
                item=held["item"],
                cadence=cadence,
                cycle_length=held["cycle_length"],
                unit=held["unit"],
                start=cadence.period(held["start"]),
                values=_array(held["values"]),
            )
            bare = cls(
                method=as_method(held["method"]),
                series=series,
                status=Status(held["status"]),
                row=_array(held["parameters"]),
                stats=_array(held["stats"]),
                fitted_tail=np.empty(0),
            )
            applied = held["applied"]
        except (json.JSONDecodeError, KeyError, TypeError) as problem:
            raise ParameterError("text", repr(text[:40]), f"this is no fitted method ({problem})") from None
        return bare._on(series, applied=applied)


def _plain(values: FloatArray) -> list[float | None]:
    return [None if np.isnan(value) else float(value) for value in values]


def _array(values: list[float | None]) -> FloatArray:
    return np.array([np.nan if value is None else value for value in values], dtype=np.float64)


@dataclass(frozen=True, eq=False, kw_only=True)
class Forecast:
    """Forecasts of one series from its end.

    Attributes
    ----------
    points, stderr : ndarray, shape (horizon,)
        Mean and standard deviation of demand per lead time; NaN where not available.
    lower, upper : ndarray, shape (levels, horizon)
    levels : tuple of float
        In percent.
    reason : str
        Why there is no forecast, or what is remarkable about it.
    """

    method: Method
    series: ItemHistory
    levels: tuple[float, ...]
    points: FloatArray = field(repr=False)
    stderr: FloatArray = field(repr=False)
    lower: FloatArray = field(repr=False)
    upper: FloatArray = field(repr=False)
    reason: str = ""

    @property
    def ordinals(self) -> Any:
        """Ordinals of the forecast periods."""
        return self.series.start + len(self.series) + np.arange(self.points.size)

    @cached_property
    def frame(self) -> pd.DataFrame:
        """A row per lead time: period, step, point, stderr, the bounds of each level, reason."""
        bounds = [side[i] for i in range(len(self.levels)) for side in (self.lower, self.upper)]
        columns: dict[str, Any] = {
            "period": self.series.cadence.starts(self.ordinals),
            "step": np.arange(1, self.points.size + 1),
            "point": self.points,
            "stderr": self.stderr,
        }
        columns |= dict(zip(bound_columns(self.levels), bounds, strict=True))
        return pd.DataFrame(columns | {"reason": self.reason})
