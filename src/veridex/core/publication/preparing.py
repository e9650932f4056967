"""What is to be published for each item: its method with all that is known of it, made when a worker is ready."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Wanted
from veridex.core.calibration.warping import stretch_of_totals, warps
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method, benchmarks
from veridex.core.methods.fold.status import Status
from veridex.core.publication.dossier import BENCHMARK, VERDICT, Overridden, Scores
from veridex.core.publication.edition import Edition
from veridex.core.publication.item import Calibration, ItemTask, Said
from veridex.core.reading.item_reading import ItemReading, Readings
from veridex.core.reading.neighbours import Seasons, ends_of, seasons_at
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.verdict import Verdict

__all__ = ["Preparation", "columns_for", "task_of"]


@dataclass(frozen=True, eq=False)
class Preparation:
    """What is to be published for each item, made when it is asked for."""

    history: History
    source: Verdict | Method
    asked: Edition

    def at(self, place: int) -> ItemTask:
        """The task of the item at a place."""
        series = self.history.at(place)
        read = self.reading(series.item)
        return task_of(series, read, self.source, self.asked, lambda column: self.lent(column, series.item))

    def reading(self, item: str) -> ItemReading:
        """What an item is taken for."""
        return self._readings[item]

    def lent(self, column: str, item: str) -> FloatArray:
        """The season that an item's neighbours by a column lend at the end of its history."""
        if column not in self._seasons:
            self._seasons[column] = seasons_at(self._everybody, column, ends_of(self._everybody))
        found: FloatArray = self._seasons[column].lent(item)[0]
        return found

    @cached_property
    def _readings(self) -> Mapping[str, ItemReading]:
        """What the items are taken for; a trial of the same history has read them."""
        verdict = self.source
        same = isinstance(verdict, Verdict) and verdict.trial.history is self.history
        return verdict.trial.readings if isinstance(verdict, Verdict) and same else Readings(self.history)

    @cached_property
    def _everybody(self) -> History:
        """The items that lend a season: those that are published, and the others that were tested."""
        if not isinstance(self.source, Verdict) or len(self.source.trial.history) <= len(self.history):
            return self.history
        published = set(self.history.names)
        return History.of([*self.history, *(one for one in self.source.trial.history if one.item not in published)])

    @cached_property
    def _seasons(self) -> dict[str, Seasons]:
        return {}


def columns_for(choice: Choice) -> list[str]:
    """The columns by which what is published for an item borrows seasons of its neighbours."""
    own = () if choice.winner is None else (choice.winner.method,)
    instead = () if choice.override is None or choice.override.instead_of is None else (choice.override.instead_of,)
    return [column for one in (*own, *instead) for column in one.borrows]


def task_of(
    series: ItemHistory,
    read: ItemReading,
    source: Verdict | Method,
    asked: Edition,
    lend: Callable[[str], FloatArray],
) -> ItemTask:
    """What is to be published for an item, with the seasons that neighbours lend to the methods that borrow."""
    task = _task(series, read, source, asked)
    fitted = [*([] if task.method is None else [task.method]), *(one for own in task.rivals.values() for one in own)]
    columns = dict.fromkeys(column for one in fitted for column in one.borrows)
    return replace(task, borrowed={column: lend(column) for column in columns} or None)


def _task(series: ItemHistory, read: ItemReading, source: Verdict | Method, asked: Edition) -> ItemTask:
    """What is to be published for an item, with all that is known of it."""
    horizon, past = asked.ahead.steps(series), asked.ahead.periods(series)
    reached = f"its history reaches {asked.ahead.horizon} already" if horizon < 1 else ""
    if isinstance(source, Method):
        said = Said(why=f"The planner's own choice; not backtested.{_taken_for(read)}", reason=reached)
        own = {BENCHMARK: benchmarks(series.season_length)}
        return ItemTask(series=series, reading=read, method=source, horizon=horizon, past=past, said=said, rivals=own)
    choice = source.choice(series.item)
    method = None if choice.winner is None else choice.winner.method
    first, rivals = getattr(source.trial.scheme, "gap", 0) + 1, _rivals(choice, series)
    return ItemTask(
        series=series,
        reading=read,
        method=method,
        horizon=horizon,
        past=past,
        said=_said(choice, read, source, asked.wanted, reached),
        forms=_forms(series, source, (method, *(one for own in rivals.values() for one in own))),
        tested=range(0) if not choice.tested else range(first, choice.evidence.furthest + 1),
        calibration=_calibration(choice, source, asked.wanted, horizon),
        held=source.held(series.item, asked.wanted.levels),
        rivals=rivals,
    )


def _rivals(choice: Choice, series: ItemHistory) -> Mapping[str, tuple[Method, ...]]:
    """What is kept beside: the benchmark, and what the verdict would have published where a planner decided."""
    known, own = choice.benchmark, choice.override
    found = {BENCHMARK: benchmarks(series.season_length) if known is None else (known.method,)}
    return found if own is None or own.instead_of is None else found | {VERDICT: (own.instead_of,)}


def _calibration(choice: Choice, verdict: Verdict, wanted: Wanted, horizon: int) -> Calibration | None:
    """What the evidence of a trial makes of an item's laws; None where there is none, or it is not wanted."""
    dependence = verdict.pool.dependence(choice.route)
    if wanted.kind == "model" or dependence is None or horizon < 1:
        return None
    fit, first = choice.learned, wanted.first
    own_total = None if fit is None else verdict.total_of(fit, choice.route, first)
    wide = stretch_of_totals(*verdict.total_windows(first, horizon))
    return Calibration(
        warps(fit, verdict.peers(choice.item), horizon),
        warps(own_total, verdict.peers(choice.item, totals_from=first), horizon, wide),
        dependence,
    )


def _forms(series: ItemHistory, verdict: Verdict, wanted: Sequence[Method | None]) -> dict[Method, str]:
    """What the searches of methods and their members found last in the backtest, where nothing new has come since."""
    tested = verdict.trial.history[series.item]
    same = (tested.start, len(tested)) == (series.start, len(series))
    if not same:
        return {}
    within = {part for method in wanted if method is not None for part in (method, *method.members)}
    one = verdict.trial[series.item]
    found = {}
    for m, entered in enumerate(verdict.trial.lineup):
        done = np.flatnonzero(one.status[m] <= Status.DONE)
        if entered in within and done.size:
            found[entered] = one.forms[m, done[-1]].decode()
    return found


def _taken_for(read: ItemReading) -> str:
    """The last sentence of every reason: what the item is taken for."""
    return f" It is taken for {read.in_words()}."


def _said(choice: Choice, read: ItemReading, verdict: Verdict, wanted: Wanted, reached: str) -> Said:
    item, override, winner = choice.evidence.item, choice.override, choice.winner
    instead = None if override is None or override.instead_of is None else override.instead_of.text
    return Said(
        why=verdict.why(item) + _taken_for(read),
        reason=reached or verdict.reason(item),
        route="" if winner is None else choice.route,
        override=None if override is None or winner is None else Overridden(override.reason, instead),
        scores=_scores(choice, wanted.kind),
        stayed=choice.kept is not None and choice.kept.stays,
    )


def _scores(choice: Choice, kind: str | None) -> Scores | None:
    """What a verdict knows of an item, but for what the published intervals held."""
    winner, single, benchmark, claim = choice.winner, choice.best_single, choice.benchmark, choice.claim
    if winner is None or not choice.tested:
        return None
    return Scores(
        measure=choice.evidence.measure,
        error=claim.error,
        benchmark=benchmark.method.text if benchmark else None,
        benchmark_error=claim.benchmark_error,
        value_added=claim.value_added,
        origins=claim.origins,
        windows=claim.windows,
        coverage={},
        coverage_of=kind or "calibrated",
        best_single=single.method.text if single else None,
        best_single_error=claim.single_error,
        bias=claim.bias,
        mae=claim.mae,
        wape=claim.wape,
        unmet=choice.unmet,
    )
