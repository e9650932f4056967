"""What is to be published for an item, once it is known who competes and how good each is held to be."""

from dataclasses import replace

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.backtest.trial import Trial
from veridex.core.verdict.blending import (
    blended,
    choice_of,
    claim_for,
    combined,
    of_the_season,
    seasonal,
    trimmed,
    unweighed,
)
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.conditions import Conditions
from veridex.core.verdict.contest import Contest
from veridex.core.verdict.evidence import Entry
from veridex.core.verdict.routing import UNTESTED
from veridex.core.verdict.single import Rule, benchmark_of, choose_by_rule, choose_single

__all__ = ["choose"]

WITH_SEASON = ("regular", "short", "new", UNTESTED)
"""Routes of items that may have a season which no test could include."""

VOUCHED = "items that were as long tell which methods are good"
"""Why methods that nothing could test on the item itself are published."""


def choose(contest: Contest, rule: str | Rule, conditions: Conditions) -> Choice:
    """The choice for an item by a rule, within the planner's conditions."""
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
    if evidence.route.name == "retired":  # what was tested while it still sold says nothing of it
        if not contest.field.rivals:
            return replace(bare, winner=Entry(evidence.route.methods[0], np.nan, np.nan, (), ""))
        last = contest.field.rivals[0]
        # Its law is that of what it sold lately, not the one that was tested.
        return replace(choice_of(replace(bare, best_single=last), trial, evidence, last), hindcast=None)
    if contest.unseen and seasonal(contest) and evidence.route.name in WITH_SEASON and not callable(rule):
        return of_the_season(bare, contest, rule)
    if evidence.route.name == UNTESTED:
        if callable(rule) or not contest.rivals:
            return replace(bare, winner=Entry(combined(evidence.route.simple, "trimmed"), np.nan, np.nan, (), ""))
        bare = replace(bare, because=f"{bare.because}; {VOUCHED}")
    if not contest.rivals:
        return bare
    if contest.plain:
        said = "; ".join(filter(None, (bare.because, "its season is plain to see, so only what sees one competes")))
        bare = replace(bare, because=said)
    bare = replace(bare, best_single=_best(contest, conditions))
    if callable(rule):
        chosen = choose_by_rule(rule, evidence.item, contest.field.rivals, trial.levels)
        return choice_of(bare, trial, evidence, chosen)
    if rule == "single" or len(contest.rivals) < 2:
        return _single(bare, contest, conditions)
    if unweighed(contest):
        return trimmed(bare, contest)
    return blended(bare, contest, conditions)


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
    if len(contest.tested) < 2:
        return chosen
    where = evidence.claimed
    errors = _errors_of_single(contest, conditions, where)
    claim = claim_for(bare, trial, evidence, errors, where)
    if contest.fallback is not None and claim.error > claim.benchmark_error:
        return choice_of(
            replace(bare, lost="the best single method", tempered=claim), trial, evidence, contest.fallback
        )
    assert chosen.hindcast is not None
    return replace(chosen, claim=claim, hindcast=replace(chosen.hindcast, claimed=where))


def _errors_of_single(contest: Contest, conditions: Conditions, where: BoolArray) -> FloatArray:
    """Errors (O, H) of the method that would have been chosen at each origin; NaN where nothing was known."""
    evidence, trial, rivals = contest.evidence, contest.trial, contest.tested
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
