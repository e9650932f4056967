"""All methods over all folds of one item: what a worker does."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, ClassVar, NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.backtest.folds import FoldArrays, ItemTrial, digest_of
from veridex.core.backtest.pace import Pace
from veridex.core.backtest.schemes import Fold, Scheme
from veridex.core.backtest.trail import Trail, chained, seen_by
from veridex.core.history.item import ItemHistory
from veridex.core.laws.support import support_of
from veridex.core.laws.transforms import drawn_shares, placed
from veridex.core.methods.catalogue import Method
from veridex.core.methods.drivers_ahead import DriverRows, driver_rows, fill_with_futures
from veridex.core.methods.fold.criteria import aicc_of_each
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.plan import Plan, Sizes
from veridex.core.methods.fold.running import replay_unguarded, roll_unguarded, run_unguarded
from veridex.core.methods.fold.status import Status
from veridex.core.preparation.regressors import Column, Regressors
from veridex.core.preparation.training import TrainingSpan, training_span
from veridex.core.scoring.measures import naive_scales, training_sums
from veridex.version import VERSION

__all__ = ["Begun", "ItemWork", "Task"]


@dataclass(frozen=True, slots=True)
class Begun:
    """The first folds of an item, run before: how many, what methods remember of them, fingerprints of all folds.

    What they brought stays where it is; whoever has it puts it together with what the others bring.
    """

    done: int
    memories: tuple[FloatArray, ...]
    links: tuple[tuple[bytes, ...], ...]


@dataclass(frozen=True, slots=True)
class Task:
    """An item, and what is known of it besides its own demand.

    Attributes
    ----------
    series : ItemHistory
    lent : mapping of str to ndarray, shape (O, 2, season)
        By column the season that neighbours lend at each origin.
    clarity : ndarray, shape (O,)
        How clear its season is at each origin.
    begun : Begun or None
        What was run of it before.
    """

    series: ItemHistory
    lent: Mapping[str, FloatArray] = field(default_factory=dict)
    clarity: FloatArray = field(default_factory=lambda: np.empty(0))
    begun: Begun | None = None


class Seen(NamedTuple):
    """What methods with the same drivers and events see at each origin.

    Attributes
    ----------
    values, actuals : ndarray
        The spans that they are fitted to, end to end, and the same periods as they were read.
    ends : ndarray of int, shape (O + 1,)
        Where each span begins, and where the last one ends.
    drivers : list of DriverRows or None, or None
        Driver rows, where there are any; none of an empty span.
    """

    values: FloatArray
    actuals: FloatArray
    ends: IntArray
    drivers: list[DriverRows | None] | None

    @property
    def xs(self) -> list[FloatArray | None] | None:
        """The rows of drivers alone."""
        return None if self.drivers is None else [None if one is None else one.x for one in self.drivers]


@dataclass(frozen=True, kw_only=True)
class ItemWork:
    """What is to be done with each item; called with its task.

    Attributes
    ----------
    lineup : tuple of Method
    regressors : tuple of Regressors or None
        The drivers and events of each method.
    scheme : Scheme
    season_length : int
    origins, horizon : int
        Size of the arrays: the most that any item has.
    foresight : {"none", "perfect"}
    pace : Pace
    clock : callable
        Seconds that go by.
    trailing : bool
        Whether items bring what lets their folds be continued. Not where coefficients are carried over between
        estimates: they are remembered elsewhere.
    """

    called: ClassVar[str] = "backtest"

    lineup: tuple[Method, ...]
    regressors: tuple[Regressors | None, ...]
    scheme: Scheme
    season_length: int
    origins: int
    horizon: int
    foresight: str
    pace: Pace
    clock: Callable[[], float]
    trailing: bool = False

    @cached_property
    def components(self) -> int:
        """The most components that a law of the lineup has."""
        sizes = Sizes(self.season_length, self.horizon)
        plans: list[Plan] = [one.family.plan(one.settings, sizes) for one in self.lineup]
        return max(plan.components for plan in plans)

    def only(self, places: tuple[int, ...]) -> "ItemWork":
        """The same work with some of the methods."""
        lineup = tuple(self.lineup[m] for m in places)
        return replace(self, lineup=lineup, regressors=tuple(self.regressors[m] for m in places))

    def empty(self, task: Task) -> dict[str, Any]:
        """Arrays of one item with its origins and actuals, and no forecasts."""
        series = task.series
        out = FoldArrays.empty((len(self.lineup), self.origins), self.components, self.horizon)
        for o, fold in enumerate(self.scheme.folds(series)):
            out["origins"][o] = series.start + fold.stop - 1
            tested = slice(fold.gap, fold.horizon)
            out["actuals"][o, tested] = series.actuals[fold.stop : fold.stop + fold.horizon][tested]
        out["clarity"][: task.clarity.size] = task.clarity
        return out

    def keys(self, task: Task) -> tuple[str, ...]:
        """A fingerprint for each method: of everything that its results on this item depend on.

        Values, raw values, rules, recorded drivers and events, scheme, pace, method, version.
        """
        how = repr((VERSION, self.scheme, self.foresight, self.pace)).encode()
        series = task.series
        shared = (how, series.fingerprint.encode())
        return tuple(
            digest_of(*shared, one.text.encode(), self._explained(series, regressors), *_lent(one, task))
            for one, regressors in zip(self.lineup, self.regressors, strict=True)
        )

    def links(self, task: Task) -> tuple[tuple[bytes, ...], ...]:
        """For each method a fingerprint of each fold and all before it."""
        series = task.series
        folds = self.scheme.folds(series)
        own = [seen_by(series, fold) for fold in folds]
        how = (VERSION, self.foresight, self.pace, self.scheme.training_window, self.horizon)
        shown: dict[int, list[bytes]] = {}
        found = []
        for method, regressors in zip(self.lineup, self.regressors, strict=True):
            if id(regressors) not in shown:
                shown[id(regressors)] = [self._shown(series, regressors, fold) for fold in folds]
            lent = [b"".join(task.lent[column][o].tobytes() for column in method.borrows) for o in range(len(folds))]
            seen = list(zip(own, shown[id(regressors)], lent, strict=True))
            found.append(chained(repr((how, method.text)).encode(), seen))
        return tuple(found)

    def _shown(self, series: ItemHistory, regressors: Regressors | None, fold: Fold) -> bytes:
        """What a fold may see of drivers and events."""
        if regressors is None:
            return b""
        perfect = self.foresight == "perfect"
        return regressors.shown(series.item, series.start, fold.stop, self.horizon, perfect=perfect)

    def _sizes(self, method: Method, task: Task, columns: tuple[Column, ...], o: int | slice) -> Sizes:
        """What is asked of a method at an origin, or at several."""
        lent = {column: task.lent[column][o] for column in method.borrows}
        return Sizes.of(task.series, self.horizon, columns, lent or None)

    def _explained(self, series: ItemHistory, regressors: Regressors | None) -> bytes:
        """All that is recorded of a method's drivers and events."""
        if regressors is None:
            return b""
        recorded = regressors.recorded(series.item, series.start, len(series), self.horizon)
        return repr((regressors.columns, regressors.leads(self.horizon))).encode() + recorded.tobytes()

    def lost(self, task: Task) -> ItemTrial:
        """What stands for an item whose worker died twice."""
        out = self.empty(task)
        out["status"][:, : len(self.scheme.folds(task.series))] = Status.WORKER_DIED
        return ItemTrial(item=task.series.item, keys=self.keys(task), **out)

    @np.errstate(all="ignore")  # demand near the limits of floating point overflows in its squares
    def __call__(self, task: Task) -> ItemTrial:
        """Forecast from every origin, in order of time: each fold may start from the last one's optimum.

        Of an item whose first folds were run before, only the others are, and only they are filled.
        """
        series, done = task.series, 0 if task.begun is None else task.begun.done
        out = ItemTrial(item=series.item, keys=self.keys(task), **self.empty(task))
        folds = self.scheme.folds(series)
        if not folds:
            return out
        span = {
            o: training_span(series, folds[o].stop, self.scheme.training_window) for o in {0, *range(done, len(folds))}
        }
        # Any constant would do; this one is known at every origin.
        centre = float(np.nanmean(span[0].actuals)) if span[0].y.size else 0.0
        spans = [span[o] for o in range(done, len(folds))]
        for o, one in enumerate(spans, start=done):
            out.scales[o] = naive_scales(one.actuals, series.season_length)
            out.supports[o] = support_of(one.actuals, series.measure.floor, series.measure.whole)
        shared: dict[Regressors | None, Seen] = {}
        memories = []
        for m, regressors in enumerate(self.regressors):
            if regressors not in shared:
                shared[regressors] = self._seen(task, folds[done:], spans, regressors)
            warm = None if task.begun is None else task.begun.memories[m]
            memories.append(self._run_method(m, task, shared[regressors], done, warm, out, centre))
        new = np.s_[:, done:]
        _blank(out, folds)
        shares = drawn_shares(series.item, out.origins[done:], self.horizon)
        out.transforms[new], out.chances[new] = placed(out.laws_at(new), out.actuals[done:], shares)
        if not self.trailing:
            return out
        links = self.links(task) if task.begun is None else task.begun.links
        return replace(out, trail=Trail(links, tuple(memories)))

    def _seen(
        self, task: Task, folds: Sequence[Fold], spans: Sequence[TrainingSpan], regressors: Regressors | None
    ) -> Seen:
        """What a method with these drivers and events sees at each origin."""
        drivers = [
            self._drivers(regressors, task.series, fold, span.y) if regressors is not None and span.y.size else None
            for fold, span in zip(folds, spans, strict=True)
        ]
        ys = [span.y if one is None else span.y[one.skipped :] for one, span in zip(drivers, spans, strict=True)]
        own = [span.actuals[span.actuals.size - y.size :] for y, span in zip(ys, spans, strict=True)]
        ends = np.cumsum([0, *(y.size for y in ys)])
        nothing = np.empty(0)
        return Seen(
            np.concatenate([nothing, *ys]),
            np.concatenate([nothing, *own]),
            ends,
            None if regressors is None else drivers,
        )

    def _run_method(
        self, m: int, task: Task, seen: Seen, done: int, before: FloatArray | None, out: ItemTrial, centre: float
    ) -> FloatArray:
        """One method over the folds that are not done.

        What it remembered before is carried on, and what it remembers at the end comes back.
        """
        entered, regressors = self.lineup[m], self.regressors[m]
        family, columns = entered.family, () if regressors is None else regressors.columns
        plan: Plan = family.plan(entered.settings, self._sizes(entered, task, columns, slice(done, None)))
        warm = np.zeros(plan.warm_size) if before is None else np.array(before)
        begun = self.clock()
        origins = np.arange(done, done + seen.ends.size - 1)
        folds = Folds.over(plan, seen.values, seen.ends, origins % self.pace.search_every == 0)
        if self.pace.refit_every > 1 or (entered.borrows and not family.rolls(plan)):
            self._step(m, task, seen, folds, done, warm)
        else:
            roll_unguarded(family, plan, folds, seen.xs, warm)
        for o, drivers in enumerate(seen.drivers or ()):
            if drivers is not None:
                status = Status(folds.status[o])
                folds.status[o] = fill_with_futures(family, plan, folds.span(o), drivers, status, folds.at(o))
        new = np.s_[m, done : done + origins.size]
        out.points[new], out.std_error[new], out.status[new] = folds.points, folds.std_error, folds.status
        out.laws[new][:, :, : plan.components] = folds.law
        out.parameters[new] = folds.stats[:, 2]
        scales = out.scales[done : done + origins.size]
        training_sums(seen.actuals, folds.fitted, folds.ends, folds.status, scales, centre, out.training[new])
        aicc_of_each(folds.stats, folds.status, out.criteria[new])
        for o in folds.possible() if plan.searched else ():
            out.forms[m, done + o] = family.form(plan, folds.rows[o]).encode("ascii", "replace")
        # Folds that one call runs share its time.
        out.seconds[new] = (self.clock() - begun) / max(origins.size, 1)
        return warm

    def _step(self, m: int, task: Task, seen: Seen, folds: Folds, done: int, warm: FloatArray) -> None:
        """Fold by fold, where coefficients are carried over, or neighbours have shown more at each origin."""
        entered, regressors = self.lineup[m], self.regressors[m]
        family, columns = entered.family, () if regressors is None else regressors.columns
        carried = False
        for o in range(folds.status.size):
            y = folds.span(o)
            plan: Plan = family.plan(entered.settings, self._sizes(entered, task, columns, done + o))
            rows, x = folds.at(o), None if seen.xs is None else seen.xs[o]
            if folds.anew[o]:
                plan.forget(warm)
            if carried and (done + o) % self.pace.refit_every:
                rows.row[:] = folds.rows[o - 1]
                rows.stats[:] = folds.stats[o - 1]
                status = replay_unguarded(family, plan, y, x, rows)
            else:
                status = run_unguarded(family, plan, y, x, warm, rows)
                carried = status <= Status.DONE
            folds.status[o] = status

    def _drivers(self, regressors: Regressors, series: ItemHistory, fold: Fold, y: FloatArray) -> DriverRows:
        """Driver rows of a fold; lead times that this fold does not test repeat the last one that it does."""
        start = series.start + fold.stop - y.size
        found = driver_rows(regressors, series, start, y, fold.horizon, self.foresight)
        beyond = self.horizon - fold.horizon
        if beyond == 0:
            return found
        x = np.vstack((found.x, np.repeat(found.x[-1:], beyond, axis=0)))
        futures = found.futures
        if futures is not None:
            futures = np.concatenate((futures, np.repeat(futures[:, -1:], beyond, axis=1)), axis=1)
        return DriverRows(x, futures, found.skipped)


def _blank(out: ItemTrial, folds: tuple[Fold, ...]) -> None:
    """Take out what is not tested: a holdout may be shorter for this item than for others, and a gap is none of it."""
    for o, fold in enumerate(folds):
        for filled in (out.points, out.std_error, out.laws) if fold.gap or fold.horizon < out.points.shape[-1] else ():
            filled[:, o, fold.horizon :] = np.nan
            filled[:, o, : fold.gap] = np.nan


def _lent(method: Method, task: Task) -> tuple[bytes, ...]:
    """The seasons that a method borrows."""
    return tuple(task.lent[column].tobytes() for column in method.borrows)
