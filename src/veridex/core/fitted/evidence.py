"""What a fitted method is made of, and the evidence it gives: estimates, criteria, residuals, words."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, ClassVar

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.audit import Audit, audit_errors
from veridex.core.fitted.estimates import coefficient_table, margins, root_table
from veridex.core.fitted.next_steps import Model, next_steps, sees_season, settings_found
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method
from veridex.core.methods.drivers_ahead import DriverRows, driver_rows
from veridex.core.methods.fold.account import Account, Coefficients
from veridex.core.methods.fold.criteria import criteria
from veridex.core.methods.fold.plan import Plan, Sizes
from veridex.core.methods.fold.status import Status, reason_for
from veridex.core.notebook import Faced
from veridex.core.preparation.regressors import Regressors
from veridex.core.preparation.training import training_values
from veridex.core.reading.censored import learned_values

__all__ = ["Evidence"]

CHANCE = 0.05
"""An effect with a larger p-value may well be none."""

FEW_PER_PARAMETER = 4
"""Fewer values than this for each quantity estimated are flagged."""


@dataclass(frozen=True, eq=False, kw_only=True)
class Evidence(Faced):
    """A method fitted to one series: what it is, and what speaks for it.

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
    regressors : Regressors or None
        The drivers and events that it uses.
    foresight : {"none", "perfect"}
    milliseconds : float
        Time that the estimation took.
    borrowed : mapping of str to ndarray, or None
        Seasons that neighbours lent at the end of the series.
    """

    FACE: ClassVar[tuple[str, ...]] = (
        "in_words",
        "equation",
        "coefficients",
        "flags",
        "next_steps",
    )

    method: Method
    series: ItemHistory
    status: Status = field(repr=False)
    row: FloatArray = field(repr=False)
    stats: FloatArray = field(repr=False)
    fitted_tail: FloatArray = field(repr=False)
    applied: bool = False
    regressors: Regressors | None = field(default=None, repr=False)
    foresight: str = field(default="none", repr=False)
    milliseconds: float = field(default=np.nan, repr=False)
    borrowed: Mapping[str, FloatArray] | None = field(default=None, repr=False)

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
        told = reason_for(self.status, self._plan.needs)
        detail = self._which_driver() if self.status in (Status.DRIVER_UNKNOWN, Status.DEPENDENT) else ""
        return f"{told} ({detail})" if detail else told

    def _which_driver(self) -> str:
        """Name the driver that lacks a value, or the columns that explain each other."""
        y, x = self._training
        names = [column.name for column in self._plan.columns]
        if x is None:
            return ""
        if self.status == Status.DEPENDENT:
            return ", ".join(self.method.family.dependent(self._plan, y, x))
        for name, column in zip(names, x.T, strict=True):
            lost = np.flatnonzero(np.isnan(column))
            if lost.size:
                first = self.series.start + len(self.series) - y.size + int(lost[0])
                return f"{name} in {self.series.cadence.text(first)}"
        return ""

    @cached_property
    def _plan(self) -> Plan:
        return self._prepare(1)

    def _prepare(self, horizon: int) -> Plan:
        columns = () if self.regressors is None else self.regressors.columns
        sizes = Sizes.of(self.series, horizon, columns, self.borrowed)
        plan: Plan = self.method.family.plan(self.method.settings, sizes)
        return plan

    @cached_property
    def account(self) -> Account | None:
        """What the method says of itself: estimates, words, parts, members; None where there is no fit."""
        return self._account(self._plan, *self._training) if self.available else None

    def _account(self, plan: Plan, y: FloatArray, x: FloatArray | None) -> Account:
        row = self.row.copy()  # kernels have no second version for locked arrays
        with np.errstate(all="ignore"):
            found: Account = self.method.family.account(plan, y, x, row, self.series)
        return found

    def _rows(self, horizon: int, foresight: str) -> tuple[FloatArray, DriverRows | None]:
        """The span that the method sees, and its driver rows with those of the lead times."""
        y = training_values(learned_values(self.series), len(self.series))
        if self.regressors is None or not y.size:
            return y, None
        first = self.series.start + len(self.series) - y.size
        rows = driver_rows(self.regressors, self.series, first, y, horizon, foresight)
        return y[rows.skipped :], rows

    @cached_property
    def _training(self) -> tuple[FloatArray, FloatArray | None]:
        """The span, and driver rows whose one lead time is a stand-in: nothing is forecast from them."""
        y, rows = self._rows(1, "perfect")
        if rows is None:
            return y, None
        return y, np.vstack((rows.x[:-1], rows.x[-2]))

    @property
    def fitted_values(self) -> FloatArray:
        """One-step forecasts inside the training span, shape (n,); NaN where there is none."""
        return np.concatenate((np.full(len(self.series) - self.fitted_tail.size, np.nan), self.fitted_tail))

    @property
    def residuals(self) -> FloatArray:
        """Actual less fitted, shape (n,)."""
        return self.series.values - self.fitted_values

    @property
    def n(self) -> int:
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
        return np.nan if self.account is None else self.account.variance

    @property
    def estimates(self) -> Coefficients | None:
        """What was estimated as plain arrays: names, values, standard errors; None where there is no fit."""
        return None if self.account is None else self.account.coefficients

    @cached_property
    def coefficients(self) -> pd.DataFrame:
        """A row per estimate: name, value, std_error, ratio, p_value (NaN where the likelihood gives none), stars,
        at_edge (whether it lies on a wall of where it is sought).

        Three stars are for a p-value below 0.001, two below 0.01, one below 0.05.
        """
        return coefficient_table(self.estimates)

    @cached_property
    def roots(self) -> pd.DataFrame:
        """Zeros of the polynomials of an ARIMA: polynomial, real, imaginary, modulus, and the periods of a swing."""
        return root_table({} if self.account is None else self.account.roots)

    @property
    def notes(self) -> tuple[str, ...]:
        """What was done with drivers that is not in the equation."""
        _, rows = self._rows(1, "perfect")
        if rows is None:
            return ()
        found = [] if self.regressors is None else list(self.regressors.freaks(self.series))
        found += [f"{name} is not recorded up to the end yet; its last values were forecast." for name in rows.late]
        lost = np.isnan(rows.x[:-1]).any(axis=1).sum()
        if self.available and lost:
            found.append(f"In {lost} periods a driver is not known: they are left out like unknown demand.")
        if rows.skipped:
            found.append(f"The first {rows.skipped} periods are left out: a driver is not known in them.")
        return tuple(found)

    @property
    def flags(self) -> tuple[str, ...]:
        """What makes the estimates doubtful, in a few words each; empty where nothing does."""
        if self.account is None:
            return ()
        found = self.account.flags
        if self.parameters and self.n < FEW_PER_PARAMETER * self.parameters:
            found += (f"only {self.n} values for {self.parameters} quantities estimated",)
        return found

    @property
    def summary(self) -> dict[str, float]:
        """The fit in figures: n, parameters, criteria, errors, margins of the polynomials, convergence, time.

        `converged` is 1 or 0; margins are the smallest modulus of the zeros less one; what there is not is NaN.
        """
        known = self.residuals[~np.isnan(self.residuals)]
        stationarity, invertibility = margins({} if self.account is None else self.account.roots)
        return {
            "n": self.n,
            "parameters": self.parameters,
            "log_likelihood": self.log_likelihood,
            "aicc": self.aicc,
            "aic": self.aic,
            "bic": self.bic,
            "rmse": float(np.sqrt(np.square(known).mean())) if known.size else np.nan,
            "mae": float(np.abs(known).mean()) if known.size else np.nan,
            "variance": self.variance,
            "stationarity_margin": stationarity,
            "invertibility_margin": invertibility,
            "converged": float(self.status != Status.NOT_CONVERGED) if self.available else np.nan,
            "steps": float(self.stats[3]),
            "milliseconds": self.milliseconds,
            **({} if self.account is None else self.account.figures),
        }

    @property
    def likelihood_of(self) -> str:
        """What the values are that the likelihood is of, such as ``values differenced once``."""
        return "" if self.account is None else self.account.likelihood_of

    @cached_property
    def innovations(self) -> FloatArray:
        """One-step errors on the scale that the method models (logarithms with ``transform=log``), shape (n,)."""
        found = np.empty(0) if self.account is None else self.account.innovations
        return np.concatenate((np.full(len(self.series) - found.size, np.nan), found))

    def audit(self) -> Audit:
        """Audit the innovations: autocorrelation, bias, normality, spread, season, trend, the largest by period.

        The portmanteau test loses a degree of freedom for each ARMA coefficient and smoothing constant. The largest
        errors are told in the unit of demand.
        """
        if not self.available:
            return Audit(item=self.series.item, method=self.method.text, scope="training", reason=self.reason)
        memory, relative = self._memory_coefficients, bool(self.account and self.account.relative)
        given = (self.innovations, self.series, self.series.start, self.method.text, "training", memory)
        found = audit_errors(*given, relative=relative)  # type: ignore[arg-type]
        if found.reason:
            return found
        places = self.series.cadence.ordinals(found.largest["period"].to_numpy()) - self.series.start
        return replace(found, largest=found.largest.assign(error=self.residuals[places]))

    @cached_property
    def next_steps(self) -> tuple[str, ...]:
        """What to try next, from what the residuals still show; empty where nothing does."""
        audit = self.audit()
        if audit.reason:
            return ()
        model = Model(
            name=self.method.family.name,
            settings=settings_found(self.method, self.account),
            estimates=() if self.estimates is None else tuple(self.estimates.names),
            seasonal=sees_season(self.method, self.account),
            doubtful=self._doubtful_memory,
            above_zero=bool((np.nan_to_num(self.series.values, nan=1.0) > 0.0).all()),
            relative=bool(self.account and self.account.relative),
        )
        return next_steps(model, audit, self.innovations, self.series.season_length)

    @property
    def _doubtful_memory(self) -> tuple[str, ...]:
        """ARMA coefficients and smoothing constants that may well be none."""
        table = self.coefficients[self.coefficients["p_value"] > CHANCE]
        return tuple(name for name in table["name"] if self.estimates is not None and name in self.estimates.memory)

    @property
    def _memory_coefficients(self) -> int:
        """Coefficients that describe how values follow each other: those of ARMA parts and smoothing constants."""
        found = self.estimates
        return 0 if found is None else sum(name in found.memory for name in found.names)

    def in_words(self) -> str:
        """Say in plain words what the method does with this series."""
        if self.account is None:
            return f"{self.method} is not available for {self.series.item}: {self.reason}."
        said = self.account.words
        if not self._plan.columns:
            return said
        table = self.coefficients.set_index("name")["p_value"]
        doubtful = [c.name for c in self._plan.columns if table.get(c.name, 0.0) > CHANCE]
        return f"{said} Not beyond chance: {', '.join(doubtful)}." if doubtful else said

    def equation(self) -> str:
        """The method with its numbers, a line per equation."""
        return "" if self.account is None else self.account.equation

    @cached_property
    def components(self) -> pd.DataFrame:
        """The parts that the method sees, as columns: period, level, trend, season where it has them, fitted."""
        table: dict[str, Any] = {"period": self.series.periods}
        if self.account is not None:
            for name, part in self.account.parts.items():
                table[name] = np.concatenate((np.full(len(self.series) - part.size, np.nan), part))
        return pd.DataFrame(table | {"fitted": self.fitted_values})

    @cached_property
    def candidates(self) -> pd.DataFrame:
        """Everything that a searched method tried, the best first, with its criteria."""
        if self.applied or not self.available:
            return pd.DataFrame()
        with np.errstate(all="ignore"):
            return self.method.family.candidates(self._plan, *self._training)
