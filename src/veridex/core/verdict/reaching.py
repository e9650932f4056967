"""How a verdict is reached: routes, evidence, the portfolio's prior, then a choice for each item."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import ClassVar, NamedTuple

import numpy as np

from veridex.core.arrays import BoolArray
from veridex.core.backtest.engine import Engine, Progress, SerialEngine, Tasks
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.minutes import NO_MINUTES, Minutes
from veridex.core.backtest.store import MemoryStore, stacked
from veridex.core.backtest.trial import Trial
from veridex.core.verdict.choice import DIED, Choice
from veridex.core.verdict.choices import Elsewhere
from veridex.core.verdict.choosing import choose
from veridex.core.verdict.conditions import Conditions, item_measures
from veridex.core.verdict.contest import Contest, Field, said_of
from veridex.core.verdict.evidence import Entry, Evidence
from veridex.core.verdict.group_sums import GroupSums
from veridex.core.verdict.noting import Heard, Told, heard_of, noted, told_of
from veridex.core.verdict.routing import Router, tested_folds
from veridex.core.verdict.single import Rule, benchmark_of
from veridex.core.verdict.skill import Kin, Prior, Said
from veridex.core.verdict.together import Seldom, sums_of_intermittent
from veridex.version import VERSION

__all__ = ["Deliberation", "counted_cells"]

HEARD, CHOSEN = "heard", "chosen"
"""Parts of the minutes."""


@dataclass(frozen=True, eq=False)
class Deliberation:
    """How a verdict is reached on the items of a trial.

    What each item says by itself comes first; what the others say is added up, and each item's choice is made from
    both: one pass over the items before the first choice, and nothing but sums is kept of it.

    Attributes
    ----------
    trial : Trial
    rule : str or callable
    conditions : Conditions
    engine : Engine
        Who does the work: this process with the whole trial, or others with an item each.
    progress : callable, optional
        Called with items done and items in all; one that was heard, but not decided on, is half done.
    """

    trial: Trial
    rule: str | Rule
    conditions: Conditions
    engine: Engine = field(default_factory=SerialEngine)
    progress: Progress | None = None

    @contextmanager
    def kept(self) -> Iterator[None]:
        """Keep minutes until the verdict is reached; where it is stopped, whoever comes next goes on."""
        try:
            yield
        except BaseException:
            self._minutes.leave()
            raise
        self._minutes.close()

    def told(self, put: Callable[[Choice], None]) -> Iterator[Told]:
        """What is kept of the choice for each item, in the order of the trial's; all that is made is put somewhere.

        What was chosen before, where a verdict was stopped, is not chosen again.
        """
        names, number = self.trial.history.names, 0
        for before in self._minutes.read(CHOSEN):
            number += 1
            told = told_of(before)
            if told.died:
                put(self.elsewhere.lost(self._case(told.item)))
            yield told
        rest = names[number:]
        if self._alone or callable(self.rule):  # a planner's own function need not be known elsewhere
            made: Iterable[Choice] = map(self.choice, rest)
        else:
            made = self.engine.map(self.elsewhere.choose, self._cases(rest), self.elsewhere.lost)
        for choice in made:
            number += 1
            put(choice)
            told = Told.of(choice)
            self._minutes.add(CHOSEN, noted(told.item, told))
            self._tell(len(names) + number)
            yield told

    @cached_property
    def elsewhere(self) -> Elsewhere:
        """How choices are made by others; the rule is none of the planner's own."""
        assert isinstance(self.rule, str)
        choosing = _Choosing(self._terms, self.rule, *self._heard)
        return Elsewhere(choosing, choosing.lost, self._case)

    def _tell(self, halves: int) -> None:
        if self.progress is not None:
            self.progress(halves // 2, len(self.trial.history))

    @np.errstate(all="ignore")
    def choice(self, item: str) -> Choice:
        """What is to be published for an item, as the planner's rule has it."""
        contest = Contest(self.trial, self._field(item), *self._heard)
        return choose(contest, self.rule, self.conditions)

    @cached_property
    def _heard(self) -> tuple[Prior, GroupSums]:
        """What all items together say."""
        names, number, prior = tuple(sorted(self.trial.history.names)), 0, Prior()
        seldom: list[Seldom] = []
        for before in self._minutes.read(HEARD):
            number += 1
            _add(heard_of(before), prior, seldom)
        rest = names[number:]
        if self._alone:
            heard: Iterable[Heard] = (_heard_of(self._field(item)) for item in rest)
        else:
            hearing = _Hearing(self._terms)
            heard = self.engine.map(hearing, self._cases(rest), hearing.lost)
        for item, one in zip(rest, heard, strict=True):
            number += 1
            _add(one, prior, seldom)
            self._minutes.add(HEARD, noted(item, one))
            self._tell(number)
        return prior, sums_of_intermittent(self.trial, seldom, self._field)

    @cached_property
    def _minutes(self) -> Minutes:
        """What was said before, where this verdict was stopped; a planner's own function says nothing of itself."""
        if callable(self.rule):
            return NO_MINUTES
        trial = self.trial
        said = repr((VERSION, self.rule, self.conditions, trial.levels, [one.text for one in trial.lineup]))
        return trial.store.minutes(said, [cut.store for cut in trial.cuts])

    @property
    def _alone(self) -> bool:
        return isinstance(self.engine, SerialEngine)

    @cached_property
    def _terms(self) -> "_Terms":
        """What holds for all items, without any of them."""
        router = replace(self._router, trial=self.trial.only(self.trial.history.names[0]))
        return _Terms(router, self.conditions)

    def _cases(self, names: Sequence[str]) -> Tasks["_Case"]:
        """Items by themselves, made when a worker is ready for them."""
        return Tasks(lambda k: self._case(names[k]), len(names))

    def _case(self, item: str) -> "_Case":
        return _Case(self.trial.only(item), self._cut_short.get(item, {}))

    @np.errstate(all="ignore")
    def _field(self, item: str) -> Field:
        """Who competes for an item; what is in memory anyhow is made once."""
        if item in self._fields:
            return self._fields[item]
        one = self.trial[item]
        found = _field(self.trial, self._router, one, self.conditions, self._cut_short.get(item, {}))
        if self.trial.store.whole:
            self._fields[item] = found
        return found

    @cached_property
    def _fields(self) -> dict[str, Field]:
        return {}

    @cached_property
    def _router(self) -> Router:
        return Router.of(self.trial, self.conditions.allowed)

    @cached_property
    def _cut_short(self) -> dict[str, dict[Kin, Said]]:
        """What long items said that were cut to the length of short ones."""
        found: dict[str, dict[Kin, Said]] = {}
        for cut in self.trial.cuts:
            for one in cut:
                known = counted_cells(one, self.conditions)
                for power in (1.0, 2.0):
                    found.setdefault(one.item, {}).update(said_of(cut, one, known, power))
        return found


def counted_cells(one: ItemTrial, conditions: Conditions) -> BoolArray:
    """Cells (O, H) of an item with an actual, at lead times that count."""
    known: BoolArray = ~np.isnan(one.actuals)
    if conditions.lead_times is None:
        return known
    return known & np.isin(np.arange(1, known.shape[1] + 1), conditions.lead_times)


class _Case(NamedTuple):
    """An item of a trial by itself, and what its cut histories said."""

    trial: Trial
    cut_short: Mapping[Kin, Said]

    def lost(self) -> "_Case":
        """The same as if nothing of it had been tested: whoever looked at it died, and died again."""
        (one,) = self.trial
        bare = one.without_results()
        return _Case(replace(self.trial, store=MemoryStore.of((one.item,), stacked([bare]), [bare.keys])), {})


@dataclass(frozen=True, slots=True, eq=False)
class _Terms:
    """What holds for all items: how they are routed, and what the planner demanded."""

    router: Router
    conditions: Conditions

    def field(self, case: _Case) -> Field:
        """Who competes for the item of a case."""
        (one,) = case.trial
        return _field(case.trial, replace(self.router, trial=case.trial), one, self.conditions, case.cut_short)


@dataclass(frozen=True, slots=True, eq=False)
class _Hearing:
    """What items say, told by workers; called with a case."""

    called: ClassVar[str] = "hear"

    terms: _Terms

    @np.errstate(all="ignore")
    def __call__(self, case: _Case) -> Heard:
        return _heard_of(self.terms.field(case))

    def lost(self, case: _Case) -> Heard:
        """An item that says nothing."""
        return self(case.lost())


@dataclass(frozen=True, slots=True, eq=False)
class _Choosing:
    """What is to be published, found by workers; called with a case."""

    called: ClassVar[str] = "decide"

    terms: _Terms
    rule: str
    prior: Prior
    together: GroupSums

    @np.errstate(all="ignore")
    def __call__(self, case: _Case) -> Choice:
        contest = Contest(case.trial, self.terms.field(case), self.prior, self.together)
        return choose(contest, self.rule, self.terms.conditions)

    def lost(self, case: _Case) -> Choice:
        """An item of which nothing is published, and why."""
        evidence = self.terms.field(case.lost()).evidence
        return Choice(evidence.item, None, None, route=evidence.route.name, because=DIED)


def _add(heard: Heard, prior: Prior, seldom: list[Seldom]) -> None:
    """Add what an item says to what the others do."""
    said, one = heard
    prior.add(said)
    seldom += [] if one is None else [one]


def _heard_of(field: Field) -> Heard:
    """What an item adds to what is said of methods, and whether it belongs to a sum."""
    return field.said, Seldom.of(field)


def _field(
    trial: Trial, router: Router, one: ItemTrial, conditions: Conditions, cut_short: Mapping[Kin, Said]
) -> Field:
    """Who competes for an item, and what its own errors say, those of its cut histories with them."""
    known = counted_cells(one, conditions)
    way = router.route(one, tested_folds(one, known))
    evidence = Evidence.gather(trial, one, way, known)
    rivals, fallback, unmet = _rivals(trial, one, evidence, conditions)
    limited = conditions.bias_limit is not None or conditions.coverage_floor is not None or conditions.target
    entries = (evidence.item.entry(one) for one in way.methods)
    untested = () if limited else tuple(entry for entry in entries if entry is not None and entry.missing)
    said = {**cut_short, **said_of(trial, one, known, evidence.power)}
    return Field(one, evidence, rivals, fallback, unmet, untested, said)


def _rivals(
    trial: Trial, one: ItemTrial, evidence: Evidence, conditions: Conditions
) -> tuple[tuple[Entry, ...], Entry | None, tuple[str, ...]]:
    """The tested methods of the route that keep to the conditions, the benchmark if it does, and what none meets."""
    entries = (evidence.item.entry(one) for one in evidence.route.methods)
    own = tuple(entry for entry in entries if entry is not None and not entry.missing)
    if not own and conditions.allowed is None:
        # What the route asks for was not entered, or could not be tested: whatever was tested competes.
        own = tuple(entry for entry in evidence.item.entries if not entry.missing)
    benchmark = benchmark_of(evidence.item, trial.benchmarks)
    if benchmark is not None and conditions.allowed is not None and benchmark.method not in conditions.allowed:
        benchmark = None
    unmet = []
    for keeps, said in _demands(trial, one, evidence, conditions):
        within = tuple(entry for entry in own if keeps(entry))
        if within:
            own = within
            benchmark = benchmark if benchmark is not None and keeps(benchmark) else None
        elif own:
            unmet.append(said)
    return own, benchmark, tuple(unmet)


def _demands(
    trial: Trial, one: ItemTrial, evidence: Evidence, conditions: Conditions
) -> list[tuple[Callable[[Entry], bool], str]]:
    """What a method must keep to, and what is said where none does."""
    at = np.flatnonzero(evidence.route.origins)

    def reaches(entry: Entry) -> bool:
        points = one.points[trial.method_index(entry.method)][at]
        return conditions.meets_target(item_measures(trial.history[one.item], one, at, evidence.known, points))

    found: list[tuple[Callable[[Entry], bool], str]] = []
    if conditions.bias_limit is not None or conditions.coverage_floor is not None:
        limits = "no method keeps to the limits of bias and coverage"
        found.append((lambda entry: conditions.within_limits(entry, trial.levels), limits))
    if conditions.target is not None:
        found.append((reaches, f"no single method reaches {conditions.target}"))
    return found
