"""How a verdict is reached: routes, evidence, the portfolio's prior, then a choice for each item."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import reduce
from operator import add

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.trial import Trial
from veridex.core.calibration.held import held
from veridex.core.calibration.pool import Pool
from veridex.core.methods.catalogue import Method, method_of
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.conditions import Conditions, item_measures
from veridex.core.verdict.cross_fitting import cross_fitted
from veridex.core.verdict.evidence import Entry, Evidence
from veridex.core.verdict.routing import FEWEST_ORIGINS, route, tested_folds
from veridex.core.verdict.single import Rule, benchmark_of, choose_by_rule, choose_single
from veridex.core.verdict.skill import Prior, centred_logs, shrunk, weights

__all__ = ["choice_of", "combined", "counted_cells", "measured", "reach"]


@dataclass(frozen=True, slots=True, eq=False)
class Field:
    """Who competes for an item, by what it says itself.

    Attributes
    ----------
    one : ItemTrial
    evidence : Evidence
    rivals : tuple of Entry
        All tested.
    fallback : Entry or None
        The benchmark, if it keeps to the planner's conditions: published where nothing beats it.
    unmet : tuple of str
        Conditions that no method meets and that were set aside.
    said : Prior
        What the item adds to the portfolio's prior.
    """

    one: ItemTrial
    evidence: Evidence
    rivals: tuple[Entry, ...]
    fallback: Entry | None
    unmet: tuple[str, ...]
    said: Prior


@dataclass(frozen=True, slots=True, eq=False)
class Contest:
    """The methods that compete for an item, and how good they are; the prior is that of all items."""

    trial: Trial
    field: Field
    portfolio: Prior

    @property
    def evidence(self) -> Evidence:
        """The item's own."""
        return self.field.evidence

    @property
    def rivals(self) -> tuple[Entry, ...]:
        """All tested."""
        return self.field.rivals

    @property
    def fallback(self) -> Entry | None:
        """The benchmark, if it keeps to the planner's conditions."""
        return self.field.fallback

    @property
    def places(self) -> list[int]:
        """Those of the rivals in the lineup."""
        return [self.trial.method_index(entry.method) for entry in self.rivals]

    @property
    def prior(self) -> FloatArray:
        """Mean logs of the rivals' relative errors over the other items."""
        return self.portfolio.without(self.field.said).means(tuple(entry.method for entry in self.rivals))

    @property
    def sizes(self) -> FloatArray:
        """Sizes of errors at each origin, shape (rivals, O)."""
        return self.evidence.sizes[self.places]

    def drawn(self) -> FloatArray:
        """Shrunk logs of the rivals' errors, all origins counted."""
        return shrunk(self.evidence.errors(self.sizes), self.prior, self.sizes.shape[1])

    def drawn_without(self) -> FloatArray:
        """The same with each origin left out in turn, shape (O, rivals)."""
        sizes, n = self.sizes, self.sizes.shape[1]
        means = (sizes.sum(axis=1) - sizes.T) / (n - 1)
        return shrunk(np.maximum(means, 0.0) ** (1.0 / self.evidence.power), self.prior, n - 1)


@np.errstate(all="ignore")
def reach(trial: Trial, rule: str | Rule, conditions: Conditions) -> tuple[dict[str, Choice], Pool]:
    """Reach a verdict on every item of a trial; and pool the errors of what was chosen.

    What each item says by itself comes first; what the others say is added up, and each item's choice is made from
    both.
    """
    fields = [_field(trial, one, conditions) for one in trial]
    prior = reduce(add, (one.said for one in fields), Prior())
    choices = [_choose(Contest(trial, one, prior), rule, conditions) for one in fields]
    pool = Pool.total(Pool.of(choice.route, choice.crossfit) for choice in choices)
    return {choice.evidence.item: measured(choice, pool, trial.levels) for choice in choices}, pool


def counted_cells(one: ItemTrial, conditions: Conditions) -> BoolArray:
    """Cells (O, H) of an item with an actual, at lead times that count."""
    known: BoolArray = ~np.isnan(one.actuals)
    if conditions.lead_times is None:
        return known
    return known & np.isin(np.arange(1, known.shape[1] + 1), conditions.lead_times)


def _field(trial: Trial, one: ItemTrial, conditions: Conditions) -> Field:
    """Who competes for an item, and what its own errors say."""
    known = counted_cells(one, conditions)
    entered = conditions.allowed or trial.lineup
    way = route(trial, one, entered, tested_folds(one, known), fixed=conditions.allowed is not None)
    evidence = Evidence.gather(trial, one, way, known)
    rivals, fallback, unmet = _rivals(trial, one, evidence, conditions)
    errors = np.array([entry.error for entry in rivals])
    # Where a method made no error at all, as zero of what nobody buys any more, logs tell others nothing.
    told = Prior() if (errors == 0.0).any() else Prior.of(tuple(one.method for one in rivals), centred_logs(errors))
    return Field(one, evidence, rivals, fallback, unmet, told)


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


def _choose(contest: Contest, rule: str | Rule, conditions: Conditions) -> Choice:
    evidence = contest.evidence
    benchmark = benchmark_of(evidence.item, contest.trial.benchmarks)
    bare = Choice(
        evidence.item,
        None,
        benchmark,
        route=evidence.route.name,
        because=evidence.route.because,
        unmet=contest.field.unmet,
        used=evidence.route.origins,
    )
    if evidence.route.name == "untested":
        return _untested(bare, evidence.route.methods)
    if not contest.rivals:
        return bare
    if evidence.route.name == "retired":
        last = contest.rivals[0]
        return choice_of(replace(bare, best_single=last), contest.trial, evidence, last)
    drawn = contest.drawn()
    best = choose_single(contest.rivals, contest.fallback, drawn, simplest=conditions.simplest)
    assert best is not None
    bare = replace(bare, best_single=best)
    if contest.fallback is None and benchmark is not None and best.error > benchmark.error:
        said = f"the benchmark {benchmark.method} had less error and does not meet the conditions"
        bare = replace(bare, unmet=(*bare.unmet, said))
    if callable(rule):
        chosen = choose_by_rule(rule, evidence.item, contest.rivals, contest.trial.levels)
        return choice_of(bare, contest.trial, evidence, chosen)
    if rule == "single" or len(contest.rivals) < 2:
        alone = choice_of(bare, contest.trial, evidence, best)
        return replace(alone, cross_error=_single_cross_error(contest, conditions))
    return _blended(bare, contest, drawn, conditions)


def _untested(bare: Choice, methods: tuple[Method, ...]) -> Choice:
    """The equal mean of simple methods, of whose error nothing is known."""
    return replace(bare, winner=Entry(combined(methods, "trimmed"), np.nan, np.nan, (), ""))


def choice_of(bare: Choice, trial: Trial, evidence: Evidence, entry: Entry) -> Choice:
    """A single method as the choice, with its own forecasts at the origins."""
    fit = cross_fitted(trial, evidence, [entry.method], np.ones((evidence.item.origins, 1)))
    return replace(bare, winner=entry, crossfit=fit, cross_error=entry.error)


def measured(choice: Choice, pool: Pool, levels: Sequence[float]) -> Choice:
    """The choice with the coverage of the intervals that are published by default."""
    fit = choice.crossfit
    if fit is None or choice.winner is None:
        return choice
    rows = held(fit, "calibrated", pool.peers(choice.item, choice.route, fit.cycles), levels)
    return replace(choice, winner=replace(choice.winner, coverage=tuple(row.coverage for row in rows)))


def _single_cross_error(contest: Contest, conditions: Conditions) -> float:
    """The error of the rule `single` where each origin is forecast by the winner of the others."""
    origins = contest.sizes.shape[1]
    if origins < 2:
        return float("nan")
    drawn, found, benchmark = contest.drawn_without(), np.empty(origins), contest.fallback
    place = None if benchmark is None else contest.trial.method_index(benchmark.method)
    for o in range(origins):
        others = np.delete(contest.evidence.sizes, o, axis=1)
        errors = contest.evidence.errors(others)
        own = [replace(entry, error=float(errors[m])) for entry, m in zip(contest.rivals, contest.places, strict=True)]
        rival = None if benchmark is None or place is None else replace(benchmark, error=float(errors[place]))
        chosen = choose_single(own, rival, drawn[o], simplest=conditions.simplest)
        assert chosen is not None
        found[o] = contest.evidence.sizes[contest.trial.method_index(chosen.method), o]
    return float(contest.evidence.errors(found))


def _blended(bare: Choice, contest: Contest, drawn: FloatArray, conditions: Conditions) -> Choice:
    """The skill-weighted blend with its cross-fitted error; with hardly any origins the trimmed mean."""
    methods = [entry.method for entry in contest.rivals]
    origins = contest.sizes.shape[1]
    trial, evidence = contest.trial, contest.evidence
    one = contest.field.one
    if origins < FEWEST_ORIGINS or not evidence.route.weighed:
        made, joined = combined(methods, "trimmed"), methods
        fit = cross_fitted(trial, evidence, methods, "trimmed")
    else:
        final = weights(drawn)
        joined = [one for one, share in zip(methods, final, strict=True) if share > 0.0]
        made = combined(joined, final[final > 0.0].tolist())
        fit = cross_fitted(trial, evidence, methods, weights(contest.drawn_without()))
    known = evidence.known
    losses = np.where(known, (np.abs(fit.errors) / evidence.scale[:, None]) ** evidence.power, 0.0)
    sizes = losses.sum(axis=1) / known.sum(axis=1)
    if not evidence.route.weighed and contest.fallback is not None:
        base = evidence.sizes[trial.method_index(contest.fallback.method)]
        if (base < sizes).all():
            return choice_of(bare, trial, evidence, contest.fallback)
    error = float(evidence.errors(sizes))
    at = np.flatnonzero(evidence.route.origins)
    winner = Entry(
        method=made,
        error=error,
        parameters=float(np.nansum([entry.parameters for entry in contest.rivals if entry.method in joined])),
        coverage=(),
        missing="",
        bias=100.0 * float(fit.errors[known].sum() / np.abs(fit.actuals[known]).sum()),
    )
    unmet = tuple(one for one in bare.unmet if "single" not in one)
    measures = item_measures(trial.history[one.item], one, at, known, fit.points)
    if conditions.target and not conditions.meets_target(measures):
        unmet += (f"the blend does not reach {conditions.target}",)
    return replace(bare, winner=winner, crossfit=fit, cross_error=error, unmet=unmet)


def combined(methods: Sequence[Method], weights: str | Sequence[float]) -> Method:
    """The method that joins others by a word or by numbers, all their digits kept; a method alone is itself."""
    if len(methods) == 1:
        return methods[0]
    return method_of("combination", {"of": tuple(methods), "weights": weights})
