"""One item's part of a publication: what a worker makes."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Bands, Wanted
from veridex.core.calibration.held import Held
from veridex.core.calibration.totals import (
    Totals,
    as_means,
    calibrated_totals,
    finite_totals,
    no_totals,
    simulated_totals,
)
from veridex.core.fitted.fitted import Fitted, fit
from veridex.core.history.drivers import Drivers
from veridex.core.history.item import ItemHistory
from veridex.core.laws.support import Support
from veridex.core.laws.warp import Warp
from veridex.core.methods.catalogue import Method
from veridex.core.methods.fold.account import Account
from veridex.core.methods.stated import stated
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.cautions import cautions
from veridex.core.publication.dossier import (
    VERDICT,
    Beside,
    Estimate,
    FitRecord,
    ItemPublication,
    MemberRecord,
    Outlook,
    Overridden,
    Scores,
)
from veridex.core.reading.item_reading import ItemReading

__all__ = ["Calibration", "ItemTask", "ItemWork", "Said", "nothing_of"]

PATHS = 1000
"""Simulated futures behind the totals of a method that was not tested."""

RETIRED = "retired"
"""The route of items that nobody buys any more: their law is that of what they sold lately."""

LOST = "whoever was to publish it died, and died again"
"""Why nothing is published for an item whose workers died."""

LATELY = 12
"""Periods that are lately, where the season has fewer."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Said:
    """What a verdict says of an item; `scores` lack their coverage until it is known what is published."""

    why: str
    reason: str = ""
    route: str = ""
    override: Overridden | None = None
    scores: Scores | None = None
    stayed: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Calibration:
    """What evidence makes of an item's laws.

    Attributes
    ----------
    warps, total_warps : tuple of Warp
        Per lead time, and of totals.
    dependence : ndarray
        Correlations of lead times.
    """

    warps: tuple[Warp, ...]
    total_warps: tuple[Warp, ...]
    dependence: FloatArray


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class ItemTask:
    """What is published for an item: by which method, how far ahead, calibrated by which errors.

    Attributes
    ----------
    series : ItemHistory
    reading : ItemReading
        What it is taken for.
    method : Method or None
    horizon, past : int
        Lead times, and periods of history beside them.
    said : Said
    forms : mapping of Method to str
        What each method's search found in the backtest, where nothing new has come since: it is not searched again.
    tested : range
        Lead times that the backtest tested.
    calibration : Calibration or None
        What evidence makes of the method's laws; None where there is none, or the model's own are wanted.
    borrowed : mapping of str to ndarray
        Seasons that neighbours lend.
    held : mapping of str to tuple of Held
        What each kind of interval held.
    rivals : mapping of str to tuple of Method
        By role, methods whose forecasts are kept beside: of each role the first that can be fitted.
    """

    series: ItemHistory
    reading: ItemReading
    method: Method | None
    horizon: int
    past: int
    said: Said
    forms: Mapping[Method, str] = field(default_factory=dict)
    tested: range = range(0)
    calibration: Calibration | None = None
    borrowed: Mapping[str, FloatArray] | None = None
    held: Mapping[str, tuple[Held, ...]] = field(default_factory=dict)
    rivals: Mapping[str, tuple[Method, ...]] = field(default_factory=dict)

    def published(self) -> ItemPublication:
        """What is published before anything is forecast."""
        series, said = self.series, self.said
        return ItemPublication(
            item=series.item,
            fingerprint=series.fingerprint,
            origin=series.start + len(series) - 1,
            past=np.array(series.actuals[len(series) - self.past :]),
            horizon=self.horizon,
            method=self.method,
            decided=self.method,
            tested=self.tested,
            why=said.why,
            reason=said.reason,
            route=said.route,
            override=said.override,
            stayed=said.stayed,
            scores=_covered(said.scores, self.held),
            held=self.held,
            support=series.support,
            dependence=None if self.calibration is None else self.calibration.dependence,
        )

    @property
    def learned(self) -> ItemHistory:
        """The history that the method learns from: of a retired item what it sold lately."""
        return self.series if self.said.override is not None else self.decided_on

    @property
    def decided_on(self) -> ItemHistory:
        """What the verdict's own choice learns from, whatever a planner decided."""
        if self.said.route != RETIRED:
            return self.series
        return self.series.last(min(max(self.series.season_length, LATELY), len(self.series)))


@dataclass(frozen=True, slots=True, eq=False)
class ItemWork:
    """Refit, forecast, calibrate; called with a task."""

    called: ClassVar[str] = "publish"

    wanted: Wanted
    explaining: Explanation
    scenarios: tuple[Drivers, ...] = ()

    @np.errstate(all="ignore")
    def __call__(self, task: ItemTask) -> ItemPublication:
        """Publish one item."""
        if task.method is None or task.horizon < 1:
            return task.published()
        fitted = self._fitted(task, task.method, task.learned)
        outlook = self._outlook(task, fitted, None)
        told = self.scenarios if fitted.regressors is not None and fitted.regressors.drivers is not None else ()
        one = replace(
            task.published(),
            outlook=outlook,
            scenarios=tuple(self._outlook(task, fitted, one) for one in told),
            reason=task.said.reason or outlook.reason,
            fit=_record(fitted),
            method=fitted.method,
            beside=tuple(self._beside(task, outlook)),
        )
        if not one.available:
            return one
        one = replace(one, totals=self._totals(task, fitted, outlook))
        return replace(one, cautions=cautions(one, task.reading, task.series.actuals, self.wanted.levels))

    def lost(self, task: ItemTask) -> ItemPublication:
        """What is published for an item whose workers died: why there is nothing."""
        return nothing_of(task.series, task.reading, task.horizon, task.past)

    def _fitted(self, task: ItemTask, method: Method, learned: ItemHistory) -> Fitted:
        """A method fitted to what it learns from, with what its search found in the backtest."""
        drivers, events = (self.explaining.drivers, self.explaining.events)
        if method.alone:
            drivers = events = None
        refitted = stated(method, task.forms)
        given: Any = {"drivers": drivers, "events": events, "borrowed": task.borrowed}
        fitted = fit(learned, refitted, **given)
        if not fitted.available and refitted != method:  # what was found does not fit any more: search anew
            fitted = fit(learned, method, **given)
        return fitted

    def _beside(self, task: ItemTask, outlook: Outlook) -> Iterator[Beside]:
        """What rivals would have said: of each role the first that has a forecast."""
        for role, methods in task.rivals.items():
            for method in methods:
                same = method == task.method
                learned = task.decided_on if role == VERDICT else task.series
                points = outlook.points if same else self._rival_points(task, method, learned)
                if np.isfinite(points).all():
                    yield Beside(role, method, points)
                    break

    def _rival_points(self, task: ItemTask, method: Method, learned: ItemHistory) -> FloatArray:
        return self._fitted(task, method, learned).forecast(task.horizon, self.wanted.levels).points

    def _outlook(self, task: ItemTask, fitted: Fitted, scenario: Drivers | None) -> Outlook:
        forecast = fitted.forecast(task.horizon, self.wanted.levels, drivers=scenario)
        warps = () if task.calibration is None else task.calibration.warps
        name = "" if scenario is None else scenario.name
        bands = Bands.read(forecast.laws, warps, self.wanted)
        there = np.isfinite(forecast.points).any()
        laws, warps = (forecast.laws, warps) if there else (None, ())
        return Outlook(forecast.points, forecast.std_error, bands, forecast.reason, name, laws, warps)

    def _totals(self, task: ItemTask, fitted: Fitted, outlook: Outlook) -> Totals:
        """Demand of several lead times together, with bounds of its own; its mean where it averages."""
        measure, support, found = task.series.measure, task.series.support, task.calibration
        if measure.adds == "ratio":
            return no_totals(outlook.points.size, self.wanted, measure.name)
        if not measure.adds_up:
            support = Support(support.floor)
        if found is None or outlook.laws is None:
            totals = simulated_totals(outlook.points, fitted.simulate(task.horizon, PATHS), support, self.wanted)
        else:
            given = (outlook.points, outlook.laws, support, found.dependence, found.total_warps)
            totals = calibrated_totals(*given, self.wanted)
        totals = totals if measure.adds_up else as_means(totals, self.wanted.first, measure.name)
        return finite_totals(totals, self.wanted)


def nothing_of(series: ItemHistory, reading: ItemReading, horizon: int, past: int) -> ItemPublication:
    """What is published for an item whose workers died."""
    said = Said(why="", reason=LOST)
    return ItemTask(series=series, reading=reading, method=None, horizon=horizon, past=past, said=said).published()


def _covered(scores: Scores | None, held: Mapping[str, tuple[Held, ...]]) -> Scores | None:
    """The scores with what the published intervals held."""
    if scores is None or not held:
        return scores
    return replace(scores, coverage={f"{row.level:g}": row.coverage for row in held[scores.coverage_of]})


def _record(fitted: Fitted) -> FitRecord | None:
    """What is written down about a refit."""
    if fitted.account is None:
        return None
    found = _told(fitted.account, dict(fitted.method.settings))
    return replace(
        found,
        words=fitted.in_words(),
        equation=fitted.equation(),
        log_likelihood=fitted.log_likelihood,
        aicc=fitted.aicc,
    )


def _told(account: Account, settings: Mapping[str, object]) -> FitRecord:
    """An account as it is written down, members within; their texts say their settings."""
    found = account.coefficients
    return FitRecord(
        settings=settings,
        form=account.form,
        words=account.words,
        estimates=tuple(map(Estimate, found.names, found.values.tolist(), found.errors.tolist())),
        variance=account.variance,
        members=tuple(MemberRecord(one.method, one.share, _told(one.account, {})) for one in account.members),
    )
