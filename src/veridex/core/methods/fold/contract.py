"""The fold contract: what every family of methods implements, on plain arrays.

A backtest is a hundred thousand small fits, so the inner face of a family holds no frames and no dates:
`prepare` once per item, `run` once per fold. The pleasant faces (`Method`, `Fitted`) are built on the same two.
"""

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar, Generic, TypeVar

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy.special import ndtri, stdtrit

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.settings import Setting, Value
from veridex.core.methods.fold.status import Status
from veridex.core.preparation.regressors import Column

__all__ = [
    "STATS",
    "Coefficients",
    "Column",
    "DriverFamily",
    "Family",
    "Plan",
    "Rows",
    "effect_parts",
    "gated",
    "linear_paths",
    "replay_fold",
    "run_fold",
    "shared_paths",
]


STATS = 4
"""Length of a stats row: log-likelihood, values used, quantities estimated (variance included), iterations."""


@dataclass(frozen=True, slots=True)
class Plan:
    """Everything about a method that does not change from fold to fold.

    Attributes
    ----------
    season, horizon : int
        Periods of the season; lead times wanted.
    levels : tuple of float
        Interval levels in percent.
    row_size, warm_size : int
        Lengths of the parameter row and of the memory handed from fold to fold.
    columns : tuple of Column
        What the columns of the driver rows hold, for a family that takes drivers.
    quantiles : ndarray, shape (levels,)
        Standard normal quantiles of the upper bounds.
    """

    season_length: int
    horizon: int
    levels: tuple[float, ...]
    row_size: int
    warm_size: int = 0
    columns: tuple[Column, ...] = ()
    quantiles: FloatArray = field(init=False, repr=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "quantiles", ndtri(self.upper_shares))

    @property
    def upper_shares(self) -> FloatArray:
        """Probability below the upper bound of each level."""
        return 0.5 + np.array(self.levels, dtype=np.float64) / 200.0

    def student_quantiles(self, degrees: float) -> FloatArray:
        """Quantiles of Student's t for the upper bounds."""
        return np.asarray(stdtrit(degrees, self.upper_shares), dtype=np.float64)


@dataclass(slots=True)
class Rows:
    """Preallocated arrays that a fold fills: the caller owns them, a backtest passes slices of its own.

    Attributes
    ----------
    points, std_error : ndarray, shape (horizon,)
        Mean and standard deviation of demand per lead time.
    lower, upper : ndarray, shape (levels, horizon)
    row : ndarray, shape (row_size,)
        The parameters.
    fitted : ndarray, shape (n,)
        One-step forecasts inside the training span; NaN where there is none.
    stats : ndarray, shape (STATS,)
    """

    points: FloatArray
    std_error: FloatArray
    lower: FloatArray
    upper: FloatArray
    row: FloatArray
    fitted: FloatArray
    stats: FloatArray

    @classmethod
    def allocate(cls, plan: Plan, n: int) -> "Rows":
        """Make rows of their own, all NaN."""
        levels = len(plan.levels)
        shapes = ((plan.horizon,), (plan.horizon,), (levels, plan.horizon), (levels, plan.horizon))
        return cls(*(np.full(shape, np.nan) for shape in (*shapes, (plan.row_size,), (n,), (STATS,))))

    def fill_bounds(self, quantiles: FloatArray) -> None:
        """Set bounds symmetric around the points, `quantiles` standard errors away."""
        half = quantiles[:, None] * self.std_error
        np.subtract(self.points, half, out=self.lower)
        np.add(self.points, half, out=self.upper)


@dataclass(frozen=True, slots=True)
class Coefficients:
    """Named estimates with their standard errors (NaN where the likelihood gives none).

    `degrees` are those of Student's t for the p-values; infinite for the normal law. `memory` names those that say how
    values follow each other (ARMA coefficients, smoothing constants), `at_edge` those on a wall of their region.
    """

    names: tuple[str, ...]
    values: FloatArray
    errors: FloatArray
    degrees: float = np.inf
    memory: frozenset[str] = frozenset()
    at_edge: frozenset[str] = frozenset()


P = TypeVar("P", bound=Plan)


class Family(ABC, Generic[P]):
    """A family of methods under one name. Stateless: all it knows of a fold is handed to it."""

    name: ClassVar[str]
    settings: ClassVar[tuple[Setting, ...]] = ()
    takes_drivers: ClassVar[bool] = False

    @abstractmethod
    def prepare(self, settings: Mapping[str, Any], season_length: int, horizon: int, levels: tuple[float, ...]) -> P:
        """Work out once per item what every fold needs."""

    def prepare_with(
        self,
        settings: Mapping[str, Any],
        season_length: int,
        horizon: int,
        levels: tuple[float, ...],
        columns: tuple[Column, ...],
    ) -> P:
        """Work out the same where there are driver rows with these columns; a family that takes none ignores them."""
        return self.prepare(settings, season_length, horizon, levels)

    @abstractmethod
    def run(self, plan: P, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate on `y`, which ends at the origin, and forecast from there.

        Parameters
        ----------
        plan
            From `prepare`.
        y : ndarray, shape (n,)
            Known demand, oldest first, from `training_values`; NaN inside is unknown.
        x : ndarray, shape (n + horizon, columns), or None
            Driver rows, those of the lead times included; a column that is zero in all n is left out.
        warm : ndarray, shape (warm_size,)
            What the last fold found, zeros before the first; overwritten.
        out : Rows
            Filled; left NaN where the status is above zero.

        Returns
        -------
        int
            A `Status`.
        """

    def domain(self, plan: P, y: FloatArray, row: FloatArray | None) -> Status:
        """Whether this span may be modelled at all: asked before `run`, and with a row before `replay`."""
        return Status.DONE

    def understands(self, plan: P, row: FloatArray) -> bool:
        """Whether codes inside a row that came from a file are such as this plan may have written."""
        return True

    @abstractmethod
    def replay(self, plan: P, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Forecast from the end of `y` with the parameters in ``out.row``; fill everything but `row` and `stats`."""

    @abstractmethod
    def coefficients(
        self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """The estimates, named for the analyst."""

    @abstractmethod
    def in_words(self, plan: P, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say what is carried forward, how fast it forgets, what trend and season it sees."""

    @abstractmethod
    def equation(self, plan: P, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The method with its numbers, a line per equation."""

    @abstractmethod
    def needs(self, plan: P) -> str:
        """Say how much history the method needs."""

    @abstractmethod
    def variance(self, plan: P, row: FloatArray) -> float:
        """Variance of the one-step innovations in a parameter row."""

    def components(self, plan: P, y: FloatArray, row: FloatArray) -> dict[str, FloatArray]:
        """Parts of the series as the method sees them, each of shape (n,); none where it has no parts."""
        return {}

    def candidates(self, plan: P, y: FloatArray, x: FloatArray | None) -> pd.DataFrame:
        """Everything a search tried; no rows where nothing is searched."""
        return pd.DataFrame()

    def searches(self, plan: P) -> bool:
        """Whether `run` searches a form, a power or orders from time to time; in between it keeps what it found."""
        return False

    def form(self, plan: P, row: FloatArray) -> str:
        """What a search chose, written as settings; empty where nothing is searched."""
        return ""

    def forget(self, plan: P, warm: FloatArray) -> None:
        """Make the next `run` search anew, where the method searches."""
        if warm.size and self.searches(plan):
            warm[0] = 0.0

    def innovations(self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray) -> FloatArray:
        """One-step errors on the scale that the method models, shape (n,): what an audit looks at."""
        rows = Rows.allocate(plan, y.size)
        rows.row[:] = row
        self.replay(plan, y, x, rows)
        return y - rows.fitted

    def paths(self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray) -> FloatArray:
        """Turn standard normal shocks into paths of demand after the end of `y`, both of shape (paths, horizon).

        A family without a law of its own follows a linear one whose weights, all positive, grow as its standard errors
        do; the paths are then scaled to have just these.
        """
        rows = Rows.allocate(plan, y.size)
        rows.row[:] = row
        self.replay(plan, y, x, rows)
        squares = np.maximum(np.diff(np.square(rows.std_error), prepend=0.0), 0.0)
        if not squares[0] > 0.0:
            return rows.points + 0.0 * shocks
        around = linear_paths(np.zeros(plan.horizon), np.sqrt(squares), shocks)
        scale: FloatArray = rows.std_error / np.sqrt(np.cumsum(squares))
        return rows.points + around * scale

    def contributions(self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray) -> dict[str, FloatArray]:
        """Parts that add up to fitted values and forecasts, each of shape (n + horizon,); none where there are none."""
        return {}

    def dependent(self, plan: P, y: FloatArray, x: FloatArray) -> tuple[str, ...]:
        """Names of columns that others explain exactly, where the status says that there are such."""
        return ()

    def roots(self, plan: P, row: FloatArray) -> dict[str, NDArray[np.complex128]]:
        """Zeros of the polynomials that remember, complex, by name; none where there is no such polynomial."""
        return {}

    def flags(self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray) -> tuple[str, ...]:
        """What is wrong with the estimates, in a few words each."""
        return ()

    def figures(self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray) -> dict[str, float]:
        """Further figures of the fit, by name."""
        return {}

    def likelihood_of(self, plan: P, row: FloatArray) -> str:
        """What the values are that the likelihood is of: criteria compare where this is the same."""
        return "values"

    def for_settings(self, settings: Mapping[str, Value]) -> "Family[Any]":
        """The family that does what these settings ask for; nearly always this one."""
        return self

    def canonical(self, given: dict[str, Any]) -> dict[str, Any]:
        """The stated settings in the one form that all spellings of the same model share."""
        return given

    def check(self, settings: Mapping[str, Value]) -> None:
        """Raise `SettingError` where settings contradict each other."""


class DriverFamily(Family[P]):
    """A family that takes drivers and events."""

    takes_drivers = True

    def prepare(self, settings: Mapping[str, Any], season_length: int, horizon: int, levels: tuple[float, ...]) -> P:
        """Work out once per item what every fold without drivers needs."""
        return self.prepare_with(settings, season_length, horizon, levels, ())


def shared_paths(members: Sequence[tuple[float, Callable[[FloatArray], FloatArray]]], shocks: FloatArray) -> FloatArray:
    """Paths of a mixture: each member makes its share of them from its share of the shocks."""
    ends = np.rint(np.cumsum([weight for weight, _ in members]) * shocks.shape[0]).astype(int)
    paths, begin = np.full(shocks.shape, np.nan), 0
    for (_, make), end in zip(members, ends, strict=True):
        paths[begin:end] = make(shocks[begin:end])
        begin = end
    return paths


def effect_parts(columns: Sequence[Column], effects: FloatArray, x: FloatArray, n: int) -> dict[str, FloatArray]:
    """What each driver and event adds, shape (n + horizon,): a driver against its mean in the n training periods."""
    parts = {}
    for j, column in enumerate(columns):
        base = x[:n, j].mean() if column.kind == "driver" else 0.0
        parts[column.name] = effects[j] * (x[:, j] - base) + 0.0
    return parts


def linear_paths(points: FloatArray, weights: FloatArray, shocks: FloatArray) -> FloatArray:
    """Paths around `points` whose error at lead time h is the sum of ``weights[j]`` times the shock at h - j."""
    paths = np.tile(points, (shocks.shape[0], 1))
    for j, weight in enumerate(weights):
        if weight != 0.0:
            paths[:, j:] += weight * shocks[:, : shocks.shape[1] - j]
    return paths


def run_fold(family: Family[P], plan: P, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> Status:
    """Run one fold as `vx.fit` and the backtest both do: quietly, and with finite numbers or none.

    Demand near the limits of floating point overflows in places; what comes of it is a status, not a warning.
    """
    if y.size == 0:
        return Status.TOO_SHORT
    if x is not None and not np.isfinite(x).all():
        return Status.DRIVER_UNKNOWN
    with np.errstate(all="ignore"):
        status = family.domain(plan, y, None)
        if status <= Status.DONE:
            status = gated(Status(family.run(plan, y, x, warm, out)), out)
    if status > Status.DONE:
        out.row.fill(np.nan)
        out.stats.fill(np.nan)
    return status


def replay_fold(family: Family[P], plan: P, y: FloatArray, x: FloatArray | None, out: Rows) -> Status:
    """Carry the parameters in ``out.row`` over to the values that have come since, as quietly."""
    if x is not None and not np.isfinite(x).all():
        return gated(Status.DRIVER_UNKNOWN, out)
    with np.errstate(all="ignore"):
        status = family.domain(plan, y, out.row)
        if status <= Status.DONE:
            status = Status(family.replay(plan, y, x, out))
    return gated(status, out)


def gated(status: Status, out: Rows) -> Status:
    """The one gate behind every fold: finite numbers throughout, or none and the reason."""
    numbers = (out.points, out.std_error, out.lower, out.upper)
    if status <= Status.DONE and not all(np.isfinite(array).all() for array in numbers):
        status = Status.NOT_FINITE
    if status > Status.DONE:
        for array in (out.points, out.std_error, out.lower, out.upper, out.fitted):
            array.fill(np.nan)
    return status
