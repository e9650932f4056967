"""One item's part of a publication: what a worker makes."""

import zlib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Bands, Peers, Wanted, calibrated
from veridex.core.calibration.crossfit import KINDS, Crossfit, Held
from veridex.core.calibration.totals import calibrated_totals, simulated_bounds, stretch
from veridex.core.fitted.fitted import Fitted, fit
from veridex.core.history.drivers import Drivers
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method
from veridex.core.methods.fold.account import Account
from veridex.core.methods.stated import stated
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.dossier import (
    Estimate,
    FitRecord,
    ItemPublication,
    MemberRecord,
    Outlook,
    Overridden,
    Scores,
)

__all__ = ["ItemTask", "ItemWork", "Published", "Said"]

PATHS = 1000
"""Simulated futures behind the totals."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Said:
    """What a verdict says of an item; `scores` lack their coverage until it is known what is published."""

    why: str
    reason: str = ""
    route: str = ""
    override: Overridden | None = None
    scores: Scores | None = None


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class ItemTask:
    """What is published for an item: by which method, how far ahead, calibrated by which errors.

    Attributes
    ----------
    series : ItemHistory
    method : Method or None
    horizon, past : int
        Lead times, and periods of history beside them.
    said : Said
    forms : mapping of Method to str
        What each method's search found in the backtest, where nothing new has come since: it is not searched again.
    tested : range
        Lead times that the backtest tested.
    crossfit : Crossfit or None
    peers : Peers
    peers_tested : ndarray or None
        The peers' quantiles at the levels of the backtest, for what intervals held.
    shared : tuple of float
        For each grouping, the part of a shock that the group's items have in common.
    """

    series: ItemHistory
    method: Method | None
    horizon: int
    past: int
    said: Said
    forms: Mapping[Method, str] = field(default_factory=dict)
    tested: range = range(0)
    crossfit: Crossfit | None = None
    peers: Peers = field(default_factory=Peers)
    peers_tested: FloatArray | None = None
    shared: tuple[float, ...] = ()

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
            scores=said.scores,
        )


@dataclass(frozen=True, slots=True, eq=False)
class Published:
    """What comes back: what is published, and for each grouping the item's paths, which share shocks with others'."""

    one: ItemPublication
    paths: tuple[FloatArray, ...] = ()


@dataclass(frozen=True, slots=True, eq=False)
class ItemWork:
    """Refit, forecast, calibrate; called with a task."""

    wanted: Wanted
    explaining: Explanation
    scenarios: tuple[Drivers, ...] = ()

    @np.errstate(all="ignore")
    def __call__(self, task: ItemTask) -> Published:
        """Publish one item."""
        if task.method is None or task.horizon < 1:
            return Published(task.published())
        driven = task.method.family.takes_drivers
        drivers, events = (self.explaining.drivers, self.explaining.events) if driven else (None, None)
        refitted = stated(task.method, task.forms)
        fitted = fit(task.series, refitted, drivers=drivers, events=events)
        if not fitted.available and refitted != task.method:  # what was found does not fit any more: search anew
            fitted = fit(task.series, task.method, drivers=drivers, events=events)
        outlook = self._outlook(task, fitted, None)
        told = self.scenarios if fitted.regressors is not None and fitted.regressors.drivers is not None else ()
        held = _held(task)
        one = replace(
            task.published(),
            outlook=outlook,
            scenarios=tuple(self._outlook(task, fitted, one) for one in told),
            reason=task.said.reason or outlook.reason,
            fit=_record(fitted),
            method=fitted.method,
            held=held,
            scores=_covered(task.said.scores, held),
        )
        if not one.available:
            return Published(one)
        totals, bands = self._totals(task, fitted, outlook)
        return Published(replace(one, totals=totals, total_bands=bands), _shared_paths(task, fitted))

    def _outlook(self, task: ItemTask, fitted: Fitted, scenario: Drivers | None) -> Outlook:
        forecast = fitted.forecast(task.horizon, self.wanted.all_levels, drivers=scenario)
        bands = calibrated(forecast, task.crossfit, self.wanted.kind, task.peers)
        name = "" if scenario is None else scenario.name
        return Outlook(forecast.points, forecast.std_error, bands, forecast.reason, name)

    def _totals(self, task: ItemTask, fitted: Fitted, outlook: Outlook) -> tuple[FloatArray, Bands]:
        """Demand from the first lead time up to each, with bounds of their own."""
        totals, levels = np.cumsum(outlook.points), self.wanted.all_levels
        simulated = simulated_bounds(totals, fitted.simulate(task.horizon, PATHS), levels)
        factor = stretch(simulated, outlook.std_error, task.peers.totals)
        given = (totals, outlook.std_error, simulated, task.crossfit, levels, self.wanted.kind)
        return totals, calibrated_totals(*given, task.peers.totals, factor)


def _shared_paths(task: ItemTask, fitted: Fitted) -> tuple[FloatArray, ...]:
    """Paths whose shocks are in part those of all items, a set for each grouping."""
    if not task.shared:
        return ()
    who = zlib.crc32(task.series.item.encode())
    last = (task.series.start + len(task.series)) % 2**32
    shape = (PATHS, task.horizon)
    common = np.random.default_rng([1, last]).standard_normal(shape)
    alone = np.random.default_rng([2, who, last]).standard_normal(shape)
    shocks = (np.sqrt(share) * common + np.sqrt(1 - share) * alone for share in task.shared)
    return tuple(fitted.simulate(task.horizon, PATHS, shocks=one) for one in shocks)


def _held(task: ItemTask) -> Mapping[str, tuple[Held, ...]]:
    """What each kind of interval held when it was tested."""
    if task.crossfit is None:
        return {}
    return {kind: task.crossfit.held(kind, task.peers_tested) for kind in KINDS}


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
    return replace(found, words=fitted.in_words(), log_likelihood=fitted.log_likelihood, aicc=fitted.aicc)


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
