"""How a verdict is reached: routes, evidence, the portfolio's prior, then a choice for each item."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.backtest.cutting import FEWEST_KIN
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.lineup import SEASONAL
from veridex.core.backtest.trial import Trial
from veridex.core.methods.catalogue import Method, method_of
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.claim import NO_CLAIM, Claim, claim_of
from veridex.core.verdict.conditions import Conditions, item_measures
from veridex.core.verdict.contest import Contest, Field, said_of
from veridex.core.verdict.evidence import Entry, Evidence
from veridex.core.verdict.hindcasting import hindcast_of
from veridex.core.verdict.routing import FEWEST_ORIGINS, Router, tested_folds
from veridex.core.verdict.single import Rule, benchmark_of, choose_by_rule, choose_single
from veridex.core.verdict.skill import Prior, weights
from veridex.core.verdict.together import sums_of_intermittent

__all__ = ["choice_of", "combined", "counted_cells", "reach"]

SHARES = (0.75, 0.5, 0.25)
"""Shares of a blend that lost to the benchmark which are tried, mixed with it, until one has not lost."""

UNSEEN = "the history shows a season that no test could include, so what sees it is published untested"
"""Why the errors of an item are not what it is decided by."""

WITH_SEASON = ("regular", "short", "new")
"""Routes of items that may have a season which no test could include."""

MOSTLY = 0.5
"""Of a blend that has less weight than this in methods tested on the item its own origins say nothing."""


@np.errstate(all="ignore")
def reach(trial: Trial, rule: str | Rule, conditions: Conditions) -> dict[str, Choice]:
    """Reach a verdict on every item of a trial.

    What each item says by itself comes first; what the others say is added up, and each item's choice is made from
    both.
    """
    router = Router.of(trial, conditions.allowed)
    fields = [_field(trial, router, one, conditions) for one in trial]
    prior = Prior.total((*_cut_short(trial, conditions), *(Prior.of(field.one.item, field.said) for field in fields)))
    sums = sums_of_intermittent(trial, fields)
    contests = [Contest(trial, field, prior, sums.get(field.one.item)) for field in fields]
    choices = [_choose(contest, rule, conditions) for contest in contests]
    return {choice.evidence.item: choice for choice in choices}


def _seasonal(contest: Contest) -> tuple[Method, ...]:
    """Methods that see a season shown hardly more than once, as far as they may be published."""
    return tuple(one for one in SEASONAL if one in contest.evidence.route.methods)


def _cut_short(trial: Trial, conditions: Conditions) -> Iterator[Prior]:
    """What long items said that were cut to the length of short ones."""
    for cut in trial.cuts:
        for one in cut:
            known = counted_cells(one, conditions)
            for power in (1.0, 2.0):
                yield Prior.of(one.item, said_of(cut, one, known, power))


def counted_cells(one: ItemTrial, conditions: Conditions) -> BoolArray:
    """Cells (O, H) of an item with an actual, at lead times that count."""
    known: BoolArray = ~np.isnan(one.actuals)
    if conditions.lead_times is None:
        return known
    return known & np.isin(np.arange(1, known.shape[1] + 1), conditions.lead_times)


def _field(trial: Trial, router: Router, one: ItemTrial, conditions: Conditions) -> Field:
    """Who competes for an item, and what its own errors say."""
    known = counted_cells(one, conditions)
    way = router.route(one, tested_folds(one, known))
    evidence = Evidence.gather(trial, one, way, known)
    rivals, fallback, unmet = _rivals(trial, one, evidence, conditions)
    limited = conditions.bias_limit is not None or conditions.coverage_floor is not None or conditions.target
    entries = (evidence.item.entry(one) for one in way.methods)
    untested = () if limited else tuple(entry for entry in entries if entry is not None and entry.missing)
    return Field(one, evidence, rivals, fallback, unmet, untested, said_of(trial, one, known, evidence.power))


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
    evidence, trial = contest.evidence, contest.trial
    benchmark = benchmark_of(evidence.item, trial.benchmarks)
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
        return replace(bare, winner=Entry(combined(evidence.route.methods, "trimmed"), np.nan, np.nan, (), ""))
    if not contest.rivals:
        return bare
    if evidence.route.name == "retired":
        last = contest.rivals[0]
        return choice_of(replace(bare, best_single=last), trial, evidence, last)
    if contest.unseen and _seasonal(contest) and evidence.route.name in WITH_SEASON and not callable(rule):
        return _of_the_season(bare, contest, rule)
    bare = replace(bare, best_single=_best(contest, conditions))
    if callable(rule):
        chosen = choose_by_rule(rule, evidence.item, contest.field.rivals, trial.levels)
        return choice_of(bare, trial, evidence, chosen)
    if rule == "single" or len(contest.rivals) < 2:
        return _single(bare, contest, conditions)
    if _unweighed(contest):
        return _trimmed(bare, contest)
    return _blended(bare, contest, conditions)


def _of_the_season(bare: Choice, contest: Contest, rule: str | Rule) -> Choice:
    """What sees the season that the whole history shows and no test could include: of its error nothing is known."""
    methods = _seasonal(contest)
    made = methods[0] if rule == "single" else combined(methods, "trimmed")
    tested = [entry.method for entry in contest.field.rivals]
    none = np.zeros(contest.evidence.origins.size, dtype=bool)
    fit = hindcast_of(contest.trial, contest.evidence, tested, "trimmed", none) if tested else None
    said = "; ".join(filter(None, (bare.because, UNSEEN)))
    return replace(bare, winner=Entry(made, np.nan, np.nan, (), ""), hindcast=fit, because=said)


def choice_of(bare: Choice, trial: Trial, evidence: Evidence, entry: Entry) -> Choice:
    """A single method that no error has chosen as the choice, with its own forecasts and errors at all origins."""
    where = np.ones(evidence.item.origins, dtype=bool)
    fit = hindcast_of(trial, evidence, [entry.method], np.ones((evidence.item.origins, 1)), where)
    return replace(bare, winner=entry, hindcast=fit, claim=_claim(bare, trial, evidence, fit.errors, where))


def _claim(bare: Choice, trial: Trial, evidence: Evidence, errors: FloatArray, where: BoolArray) -> Claim:
    """What may be said of errors at some of the origins, against the benchmark and the best single method."""
    rivals = (bare.benchmark, bare.best_single)
    benchmark, single = (None if one is None or one.missing else trial.method_index(one.method) for one in rivals)
    return claim_of(evidence, errors, where, benchmark, single)


def _best(contest: Contest, conditions: Conditions) -> Entry:
    """The best single method by what is known now."""
    best = choose_single(contest.rivals, contest.fallback, contest.drawn, simplest=conditions.simplest)
    assert best is not None
    return best


def _single(bare: Choice, contest: Contest, conditions: Conditions) -> Choice:
    """The rule `single`, judged by what it would have chosen at each origin."""
    trial, evidence, best = contest.trial, contest.evidence, bare.best_single
    assert best is not None
    benchmark = bare.benchmark
    if contest.fallback is None and benchmark is not None and best.error > benchmark.error:
        said = f"the benchmark {benchmark.method} had less error and does not meet the conditions"
        bare = replace(bare, unmet=(*bare.unmet, said))
    if best.missing:  # other items vouch for it
        return replace(bare, winner=best)
    chosen = choice_of(bare, trial, evidence, best)
    if len(contest.field.rivals) < 2:
        return chosen
    where = evidence.claimed
    errors = _errors_of_single(contest, conditions, where)
    claim = _claim(bare, trial, evidence, errors, where)
    if contest.fallback is not None and claim.error > claim.benchmark_error:
        return choice_of(
            replace(bare, lost="the best single method", tempered=claim), trial, evidence, contest.fallback
        )
    assert chosen.hindcast is not None
    return replace(chosen, claim=claim, hindcast=replace(chosen.hindcast, claimed=where))


def _errors_of_single(contest: Contest, conditions: Conditions, where: BoolArray) -> FloatArray:
    """Errors (O, H) of the method that would have been chosen at each origin; NaN where nothing was known."""
    evidence, trial, rivals = contest.evidence, contest.trial, contest.field.rivals
    means, _ = evidence.done.means(evidence.origins)
    errors = np.full(evidence.known.shape, np.nan)
    at = np.flatnonzero(evidence.route.origins)
    for o in np.flatnonzero(where).tolist():
        then = [replace(entry, error=_known(means[o], trial, entry, evidence.power)) for entry in rivals]
        fallback = contest.fallback
        if fallback is not None:
            fallback = replace(fallback, error=_known(means[o], trial, fallback, evidence.power))
        chosen = choose_single(then, fallback, contest.drawn_then[o], simplest=conditions.simplest)
        assert chosen is not None
        points = contest.field.one.points[trial.method_index(chosen.method), at[o]]
        errors[o] = evidence.actuals[o] - points
    return errors


def _known(means: FloatArray, trial: Trial, entry: Entry, power: float) -> float:
    return float(means[trial.method_index(entry.method)] ** (1.0 / power))


def _unweighed(contest: Contest) -> bool:
    """Whether nothing tells how good methods are at this length: too few origins, or shorter ones, and no kin."""
    if contest.kin >= FEWEST_KIN:
        return False
    few = contest.evidence.origins.size < FEWEST_ORIGINS
    return few or contest.evidence.route.name in ("short", "new")


def _trimmed(bare: Choice, contest: Contest) -> Choice:
    """The mean of simple methods without the highest and the lowest: nothing is weighed, so all its errors count."""
    trial, evidence = contest.trial, contest.evidence
    simple = [entry.method for entry in contest.field.rivals if entry.method in evidence.route.simple]
    methods = simple if len(simple) > 1 else [entry.method for entry in contest.field.rivals]
    where = np.ones(evidence.item.origins, dtype=bool)
    fit = hindcast_of(trial, evidence, methods, "trimmed", where)
    claim = _claim(bare, trial, evidence, fit.errors, where)
    if contest.fallback is not None and claim.benchmark_error < claim.error:
        return choice_of(replace(bare, lost="the mean", tempered=claim), trial, evidence, contest.fallback)
    return replace(bare, winner=_joint(contest, combined(methods, "trimmed"), claim), hindcast=fit, claim=claim)


def _blended(bare: Choice, contest: Contest, conditions: Conditions) -> Choice:
    """The skill-weighted blend, its weights at each origin from what was known there, held against the benchmark."""
    trial, evidence, benchmark = contest.trial, contest.evidence, contest.fallback
    tested = [entry.method for entry in contest.field.rivals]
    entered = [entry.method for entry in contest.rivals]
    now = weights(contest.drawn)
    if not tested:  # other items vouch for all that competes
        return replace(bare, winner=_joint(contest, _mix(entered, now), NO_CLAIM))
    where = evidence.claimed if now[: len(tested)].sum() > MOSTLY else np.zeros(evidence.origins.size, dtype=bool)
    then, without = weights(contest.drawn_then), weights(contest.drawn_without)
    fit = hindcast_of(trial, evidence, tested, then, where)
    plain = claim = _claim(bare, trial, evidence, fit.errors, where)
    share = 1.0
    if benchmark is not None and plain.error > plain.benchmark_error:
        share, claim = _tempered(bare, contest, fit.errors, where, benchmark)
        if share == 0.0:
            return choice_of(replace(bare, lost="the blend", tempered=plain), trial, evidence, benchmark)
        bare = replace(bare, tempered=plain, share=share)
        mixed = _towards(then, tested, benchmark, share)
        fit = hindcast_of(trial, evidence, _with(tested, benchmark), mixed, where)
        without = _towards(without, tested, benchmark, share)
        now = _towards(now[None], entered, benchmark, share)[0]
        entered = _with(entered, benchmark)
    unmet = tuple(one for one in bare.unmet if "single" not in one)
    if conditions.target and not conditions.meets_target(_measures(contest, fit.points, where)):
        unmet += (f"the blend does not reach {conditions.target}",)
    bare, claim = _lowest(bare, contest, claim)
    if contest.together is not None:
        said = f"{bare.because}; what the sum of its {contest.together.items} like it shows counts too"
        bare = replace(bare, because=said)
    joined = tested if share == 1.0 else _with(tested, benchmark)
    basis = hindcast_of(trial, evidence, joined, without, where)
    winner = _joint(contest, _mix(entered, now), claim)
    return replace(bare, winner=winner, hindcast=fit, basis=basis, claim=claim, unmet=unmet)


def _measures(contest: Contest, points: FloatArray, where: BoolArray) -> dict[str, float]:
    """All measures of forecasts (O, H) of an item at some of the origins."""
    evidence = contest.evidence
    at = np.flatnonzero(evidence.route.origins)[where]
    series = contest.trial.history[evidence.item.item]
    return item_measures(series, contest.field.one, at, evidence.known[where], points[where])


def _lowest(bare: Choice, contest: Contest, claim: Claim) -> tuple[Choice, Claim]:
    """The choice and its claim with the single method that had the lowest error on the same cells."""
    rivals = contest.field.rivals if claim.origins else ()
    errors = ((entry, float(claim.errors[contest.trial.method_index(entry.method)])) for entry in rivals)
    known = {entry: error for entry, error in errors if not np.isnan(error)}
    if not known:
        return bare, claim
    best = min(known, key=lambda entry: (known[entry], entry.parameters))
    return replace(bare, best_single=best), replace(claim, single_error=known[best])


def _tempered(
    bare: Choice, contest: Contest, errors: FloatArray, where: BoolArray, benchmark: Entry
) -> tuple[float, Claim]:
    """The largest share of a blend that has not lost to the benchmark it is mixed with, and its claim."""
    trial, evidence = contest.trial, contest.evidence
    at = np.flatnonzero(evidence.route.origins)
    base = evidence.actuals - contest.field.one.points[trial.method_index(benchmark.method), at]
    for share in SHARES:
        claim = _claim(bare, trial, evidence, share * errors + (1.0 - share) * base, where)
        if not claim.error > claim.benchmark_error:
            return share, claim
    return 0.0, NO_CLAIM


def _mix(methods: Sequence[Method], shares: FloatArray) -> Method:
    """The blend of methods by their shares, those without one left out."""
    kept = shares > 0.0
    return combined([one for one, has in zip(methods, kept, strict=True) if has], shares[kept].tolist())


def _with(methods: list[Method], benchmark: Entry | None) -> list[Method]:
    """The methods, and the benchmark if it is none of them."""
    return methods if benchmark is None or benchmark.method in methods else [*methods, benchmark.method]


def _towards(then: FloatArray, methods: list[Method], benchmark: Entry, share: float) -> FloatArray:
    """Weights (O, methods) of which only a share is left, the rest given to the benchmark."""
    listed = _with(methods, benchmark)
    found = np.zeros((then.shape[0], len(listed)))
    found[:, : len(methods)] = share * then
    found[:, listed.index(benchmark.method)] += 1.0 - share
    return found


def _joint(contest: Contest, made: Method, claim: Claim) -> Entry:
    """What several methods joined are, as an entry."""
    members = made.members or (made,)
    parameters = [entry.parameters for entry in contest.rivals if entry.method in members]
    return Entry(
        method=made,
        error=claim.error,
        parameters=float(np.nansum(parameters)),
        coverage=(),
        missing="",
        bias=claim.bias,
    )


def combined(methods: Sequence[Method], weights: str | Sequence[float]) -> Method:
    """The method that joins others by a word or by numbers, all their digits kept; a method alone is itself."""
    if len(methods) == 1:
        return methods[0]
    return method_of("combination", {"of": tuple(methods), "weights": weights})
