"""`ItemPublication`: what is published for one item; and `GroupTotals`, for several together."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Bands
from veridex.core.calibration.held import Held
from veridex.core.calibration.paths import drawn_paths
from veridex.core.calibration.totals import Totals
from veridex.core.counts import whole_number
from veridex.core.laws.law import Law
from veridex.core.laws.laws import Laws
from veridex.core.laws.support import ANY, Support
from veridex.core.laws.warp import STRAIGHT, Warp
from veridex.core.methods.method import Method
from veridex.errors import ParameterError

__all__ = [
    "BENCHMARK",
    "VERDICT",
    "Beside",
    "Caution",
    "Estimate",
    "FitRecord",
    "GroupTotals",
    "ItemPublication",
    "MemberRecord",
    "Outlook",
    "Overridden",
    "Scores",
]


BENCHMARK, VERDICT = "benchmark", "verdict"
"""What stands beside a forecast: the benchmark's, and the verdict's where a planner decided otherwise."""


class Beside(NamedTuple):
    """What another method would have said, kept to be held against what comes.

    Attributes
    ----------
    role : {"benchmark", "verdict"}
    method : Method
    points : ndarray, shape (horizon,)
    """

    role: str
    method: Method
    points: FloatArray


class Estimate(NamedTuple):
    """One of the quantities that were estimated."""

    name: str
    value: float
    std_error: float


class MemberRecord(NamedTuple):
    """One of the methods that a published method is made of, and its share of one (NaN where it has none)."""

    method: str
    share: float
    record: "FitRecord"


@dataclass(frozen=True, slots=True, kw_only=True)
class FitRecord:
    """What is written down about a refit; criteria are NaN where there is no likelihood.

    The equation has those of its members in it, whose own records have none.
    """

    settings: Mapping[str, Any]
    form: str
    words: str
    estimates: tuple[Estimate, ...]
    variance: float
    log_likelihood: float = np.nan
    aicc: float = np.nan
    equation: str = ""
    members: tuple[MemberRecord, ...] = ()


class Caution(NamedTuple):
    """What must not be trusted: the intervals, that the benchmark was beaten, or the size; and why."""

    what: str
    why: str


class Overridden(NamedTuple):
    """A planner's own decision: why, and what it stands in for."""

    reason: str
    instead_of: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Scores:
    """How good what is published was when it was tested.

    Attributes
    ----------
    measure : str
    error, benchmark_error, best_single_error : float
        Over origins that were decided by what was known at them; NaN where there were none.
    benchmark, best_single : str or None
    value_added : float
        Percent less error than the benchmark.
    origins, windows : int
        How many of these there are, and how many of their windows do not overlap.
    coverage : mapping of str to float
        Percent held by the published intervals, by level.
    coverage_of : str
        Which kind these are.
    bias : float
        Percent of demand; above zero where forecasts were too low.
    mae, wape : float
        Mean absolute error in units of demand, and in percent of it.
    unmet : tuple of str
        Conditions that are not met.
    """

    measure: str
    error: float
    benchmark: str | None
    benchmark_error: float
    value_added: float
    origins: int
    windows: int
    coverage: Mapping[str, float]
    coverage_of: str
    best_single: str | None
    best_single_error: float
    bias: float
    mae: float
    wape: float
    unmet: tuple[str, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Outlook:
    """Forecasts of one future.

    Attributes
    ----------
    points, std_error : ndarray, shape (horizon,)
    bands : Bands
    reason : str
        Why there is none, or what is remarkable about it.
    scenario : str
        The name of the drivers' future; empty for the drivers as they were handed over.
    laws : Laws or None
        What may be wanted at each lead time, as the method gives it; None where there is none.
    warps : tuple of Warp
        What evidence made of the laws' probabilities, per lead time; none of the model's own.
    """

    points: FloatArray
    std_error: FloatArray
    bands: Bands
    reason: str = ""
    scenario: str = ""
    laws: Laws | None = None
    warps: tuple[Warp, ...] = ()


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class ItemPublication:
    """What is published for one item.

    Attributes
    ----------
    item : str
    fingerprint : str
        Of the history that it was made from.
    origin : int
        Ordinal of the last period of that history.
    past : ndarray
        Its last values, as they were read.
    horizon : int
        Lead times; below one where the history reaches far enough already.
    method : Method or None
        What is published, to the last setting: `vx.fit` of it gives the same numbers.
    decided : Method or None
        What was decided on; the published one has in its place what the searches of the backtest found.
    tested : range
        The lead times that the backtest tested.
    outlook : Outlook or None
        None without a method or without lead times; NaN inside where the method cannot be fitted.
    scenarios : tuple of Outlook
    totals : Totals or None
        Demand of several lead times together.
    support : Support
        What its demand can be.
    dependence : ndarray or None
        How past errors at lead times went together: correlations; None where nothing was tested.
    why, reason : str
        Why this is published, and why nothing is.
    route : str
        How it was decided; empty where the planner chose.
    fit : FitRecord or None
    held : mapping of str to tuple of Held
        What each kind of interval held, a row per level; empty where nothing was tested.
    override : Overridden or None
    scores : Scores or None
    cautions : tuple of Caution
        What of it must not be trusted.
    beside : tuple of Beside
        What the benchmark would have said, and the verdict where a planner decided otherwise.
    stayed : bool
        Whether the method of the last publication stays, though another would win now.
    """

    item: str
    fingerprint: str = field(repr=False)
    origin: int
    past: FloatArray = field(repr=False)
    horizon: int
    method: Method | None
    decided: Method | None = None
    tested: range = range(0)
    outlook: Outlook | None = field(default=None, repr=False)
    scenarios: tuple[Outlook, ...] = field(default=(), repr=False)
    totals: Totals | None = field(default=None, repr=False)
    support: Support = ANY
    dependence: FloatArray | None = field(default=None, repr=False)
    why: str = ""
    reason: str = ""
    route: str = ""
    fit: FitRecord | None = field(default=None, repr=False)
    held: Mapping[str, tuple[Held, ...]] = field(default_factory=dict, repr=False)
    override: Overridden | None = None
    scores: Scores | None = field(default=None, repr=False)
    cautions: tuple[Caution, ...] = ()
    beside: tuple[Beside, ...] = field(default=(), repr=False)
    stayed: bool = False

    @property
    def available(self) -> bool:
        """Whether there is a forecast."""
        return self.outlook is not None and bool(np.isfinite(self.outlook.points).all())

    def law(self, step: int) -> Law:
        """What may be wanted at a lead time, from 1 on: calibrated, as its bounds are.

        Raises
        ------
        ParameterError
            If there is no such lead time, or no forecast.
        """
        if self.outlook is None or self.outlook.laws is None:
            raise ParameterError("step", repr(step), f"{self.item} has no forecast: {self.reason}")
        return _law_at(self.outlook.laws, self.outlook.warps, self.outlook.points, step)

    def total_law(self, step: int) -> Law:
        """What may be wanted up to a lead time, from the one that totals begin with.

        Raises
        ------
        ParameterError
            If there is no such total, or none at all.
        """
        if self.totals is None or self.totals.laws is None:
            said = self.reason if self.totals is None else self.totals.reason
            raise ParameterError("step", repr(step), f"{self.item} has no law of totals: {said}")
        return _law_at(self.totals.laws, self.totals.warps, self.totals.points, step)

    def paths(self, count: int, seed: int = 0) -> FloatArray:
        """Draw futures, shape (count, horizon): lead times by their laws, going together as past errors did.

        Raises
        ------
        ParameterError
            If there is no forecast, or nothing tells how errors go together.
        """
        whole_number("count", count)
        if self.outlook is None or self.outlook.laws is None or self.dependence is None:
            raise ParameterError("count", repr(count), f"{self.item} has no tested forecast to draw from")
        return drawn_paths(self.outlook.laws, self.outlook.warps, self.dependence, count, seed)


def _law_at(laws: Laws, warps: tuple[Warp, ...], points: FloatArray, step: int) -> Law:
    """The law of one of the steps."""
    if not 1 <= step <= points.size or np.isnan(points[step - 1]):
        raise ParameterError("step", repr(step), f"lead times go from 1 to {points.size}")
    return Law(laws.at(step - 1), float(points[step - 1]), warps[step - 1] if warps else STRAIGHT)


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class GroupTotals:
    """Demand of a group, of several lead times together.

    Attributes
    ----------
    group, name : str
        The column, and which of its groups.
    members : tuple of str
        The items that are in it.
    origin : int
        Ordinal of the last known period.
    totals : Totals
        Its reason names the items that are not in it.
    tested : range
    """

    group: str
    name: str
    members: tuple[str, ...] = field(repr=False)
    origin: int
    totals: Totals = field(repr=False)
    tested: range

    @property
    def called(self) -> str:
        """The group in words: ``all``, or its column and its name."""
        return self.name if self.name == self.group else f"{self.group} {self.name}"

    def law(self, step: int) -> Law:
        """What may be wanted up to a lead time, from the one that totals begin with.

        Raises
        ------
        ParameterError
            If there is no such total.
        """
        if self.totals.laws is None:
            raise ParameterError("step", repr(step), f"{self.called} has no law of totals: {self.totals.reason}")
        return _law_at(self.totals.laws, self.totals.warps, self.totals.points, step)
