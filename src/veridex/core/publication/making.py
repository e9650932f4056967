"""How a publication is made: refit on the whole history, forecast, write down from what and how."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, is_dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from veridex.core.backtest.engine import Engine, Tasks
from veridex.core.calibration.bands import Wanted
from veridex.core.calibration.warping import stretch_of_totals, warps
from veridex.core.counts import whole_number
from veridex.core.history.drivers import Drivers
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method, benchmarks
from veridex.core.methods.fold.status import Status
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.dossier import BENCHMARK, VERDICT, Overridden, Scores
from veridex.core.publication.groups import Grouping, Share, group_totals, groupings
from veridex.core.publication.head import Demand, Head, Made
from veridex.core.publication.item import Calibration, ItemTask, ItemWork, Said
from veridex.core.publication.publication import Publication
from veridex.core.publication.shelf import MemoryShelf, Opened
from veridex.core.reading.item_reading import ItemReading, readings
from veridex.core.reading.neighbours import Seasons, ends_of, seasons_at
from veridex.core.tidying.ledger import ledger
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.verdict import Verdict
from veridex.errors import ParameterError

__all__ = ["Ahead", "Edition", "make_publication"]


@dataclass(frozen=True, slots=True)
class Ahead:
    """How far a publication looks ahead, and how much history it carries.

    Attributes
    ----------
    horizon : int or str
        Periods, or the last period.
    past : int or "all"

    Raises
    ------
    ParameterError
        If one of them cannot be.
    """

    horizon: int | str
    past: int | str = "all"

    def __post_init__(self) -> None:
        if not isinstance(self.horizon, str):
            object.__setattr__(self, "horizon", whole_number("horizon", self.horizon))
        if self.past != "all" and (not isinstance(self.past, int) or isinstance(self.past, bool) or self.past < 0):
            raise ParameterError("past", repr(self.past), "it is 'all', or how many periods go with the forecast")

    def steps(self, series: ItemHistory) -> int:
        """Lead times of an item; below one where its history reaches that far already."""
        if isinstance(self.horizon, int):
            return self.horizon
        return series.cadence.period(self.horizon) - (series.start + len(series) - 1)

    def periods(self, series: ItemHistory) -> int:
        """How many periods of an item's history are carried."""
        return len(series) if isinstance(self.past, str) else min(self.past, len(series))


@dataclass(frozen=True, slots=True, kw_only=True)
class Edition:
    """What is published, and how.

    Attributes
    ----------
    ahead : Ahead
    wanted : Wanted
    explaining : Explanation
    scenarios : tuple of Drivers
    groups : tuple of str
    made : Made
    """

    ahead: Ahead
    wanted: Wanted
    explaining: Explanation = field(default_factory=Explanation)
    scenarios: tuple[Drivers, ...] = ()
    groups: tuple[str, ...] = ()
    made: Made


def make_publication(
    history: History, source: Verdict | Method, asked: Edition, engine: Engine, opened: Opened = MemoryShelf
) -> Publication:
    """Refit on the whole history and forecast; see `veridex.publish`, the public face.

    Items are prepared when a worker is ready for them, and put on a shelf as they come: no more of them need be in
    memory.
    """
    verdict = source if isinstance(source, Verdict) else None
    furthest = _furthest(history, asked)
    grouped = groupings(history, verdict, asked.groups)
    summed = {item for way in grouped for items in way.members.values() for item in items}
    head = _head(history, verdict, asked, grouped, furthest)
    prepared = _Preparation(history, source, asked)
    shelf, shares = opened(head), {}
    for one in engine.map(ItemWork(asked.wanted, asked.explaining, asked.scenarios), Tasks(prepared.at, len(history))):
        shelf.put(one)
        if one.item in summed and (share := Share.of(one)) is not None:
            shares[one.item] = share
    shelf.finish()
    return Publication(
        head=head,
        published=shelf,
        groups=tuple(one for way in grouped for one in group_totals(way, shares, history, asked.wanted)),
        ledger=ledger(history),
    )


def _furthest(history: History, asked: Edition) -> int:
    """The most lead times that an item has.

    Raises
    ------
    ParameterError
        If there are none.
    """
    furthest = max(asked.ahead.steps(series) for series in history)
    if furthest < 1:
        text, last = history.cadence.text, max(series.start + len(series) - 1 for series in history)
        problem = f"every item's history reaches that far: the last one ends with {text(last)}, so that a forecast "
        raise ParameterError("horizon", repr(asked.ahead.horizon), f"{problem}begins with {text(last + 1)}")
    return furthest


@dataclass(frozen=True, eq=False)
class _Preparation:
    """What is to be published for each item, made when it is asked for."""

    history: History
    source: Verdict | Method
    asked: Edition

    def at(self, place: int) -> ItemTask:
        """The task of the item at a place, with the seasons that neighbours lend to the methods that borrow."""
        series = self.history.at(place)
        task = _task(series, self._readings[series.item], self.source, self.asked)
        columns = dict.fromkeys(column for one in _fitted_for(task) for column in one.borrows)
        return replace(task, borrowed={column: self._lent(column).lent(series.item)[0] for column in columns} or None)

    @cached_property
    def _readings(self) -> Mapping[str, ItemReading]:
        """What the items are taken for; a trial of the same history has read them."""
        verdict = self.source
        same = isinstance(verdict, Verdict) and verdict.trial.history is self.history
        return verdict.trial.readings if isinstance(verdict, Verdict) and same else readings(self.history)

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

    def _lent(self, column: str) -> Seasons:
        """What neighbours lend at the end of each history."""
        if column not in self._seasons:
            self._seasons[column] = seasons_at(self._everybody, column, ends_of(self._everybody))
        return self._seasons[column]


def _fitted_for(task: ItemTask) -> list[Method]:
    """Every method that is fitted for an item."""
    own = [] if task.method is None else [task.method]
    return [*own, *(one for rivals in task.rivals.values() for one in rivals)]


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


def _head(
    history: History,
    verdict: Verdict | None,
    asked: Edition,
    grouped: Sequence[Grouping],
    furthest: int,
) -> Head:
    text = history.cadence.text
    ends = history.starts + np.diff(history.offsets) - 1
    return Head(
        made=asked.made,
        demand=Demand(
            fingerprint=history.fingerprint,
            cadence=history.cadence.name,
            season_length=history.season_length,
            measure=history.measure,
            first=text(int(history.starts.min())),
            last=text(int(ends.max())),
            notes=tuple(str(note) for note in history.notes),
            tidying=None if history.rules is None else history.rules.in_words(),
        ),
        horizon=furthest,
        until=asked.ahead.horizon if isinstance(asked.ahead.horizon, str) else None,
        wanted=asked.wanted,
        backtest=None if verdict is None else _backtest(verdict),
        explained=_explained(asked),
        groups=tuple(one.said() for one in grouped),
    )


def _backtest(verdict: Verdict) -> Mapping[str, Any]:
    trial = verdict.trial
    return {
        "rule": verdict.rule,
        "conditions": verdict.conditions.in_words(),
        "scheme": trial.scheme.in_words(),
        "settings": asdict(trial.scheme) if is_dataclass(trial.scheme) else {},
        "pace": asdict(trial.pace),
        "levels": list(trial.levels),
        "foresight": "perfect" if trial.perfect else "none",
        "kept": trial.keeping,
        "fingerprint": trial.history.fingerprint,
        "lineup": [entered.text for entered in trial.lineup],
        "added": [entered.text for entered in trial.added],
        "notes": list(trial.notes),
        "standings": trial.standings(brief=True).to_dict("records"),
    }


def _explained(asked: Edition) -> Mapping[str, Any]:
    """Drivers, events and scenarios; nothing where there are none."""
    found: dict[str, Any] = {}
    drivers, events = asked.explaining.drivers, asked.explaining.events
    if drivers is not None:
        found["drivers"] = {
            "names": list(drivers.names),
            "known_ahead": list(drivers.known_ahead),
            "observed_only": "forecast by smoothing, their uncertainty in the intervals by simulation",
            "scenarios": [one.name for one in asked.scenarios],
        }
    if events is not None:
        found["events"] = list(events.names)
    return found
