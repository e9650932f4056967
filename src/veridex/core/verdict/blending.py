"""What is made of the methods that compete for an item: a blend held against the benchmark, a mean, one alone."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.backtest.cutting import FEWEST_KIN
from veridex.core.backtest.lineup import SEASONAL
from veridex.core.backtest.trial import Trial
from veridex.core.methods.catalogue import Method, method_of
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.claim import NO_CLAIM, Claim, claim_of
from veridex.core.verdict.conditions import Conditions, item_measures
from veridex.core.verdict.contest import Contest
from veridex.core.verdict.evidence import Entry, Evidence
from veridex.core.verdict.hindcasting import Members, hindcast_of
from veridex.core.verdict.routing import FEWEST_ORIGINS
from veridex.core.verdict.single import Rule
from veridex.core.verdict.skill import weights

__all__ = ["blended", "choice_of", "claim_for", "combined", "of_the_season", "seasonal", "trimmed", "unweighed"]

SHARES = (0.75, 0.5, 0.25)
"""Shares of a blend that lost to the benchmark which are tried, mixed with it, until one has not lost."""

UNSEEN = "the history shows a season that no test could include, so what sees it is published untested"
"""Why the errors of an item are not what it is decided by."""


MOSTLY = 0.5
"""Of a blend that has less weight than this in methods tested on the item its own origins say nothing."""


def blended(bare: Choice, contest: Contest, conditions: Conditions) -> Choice:
    """The skill-weighted blend, its weights at each origin from what was known there, held against the benchmark."""
    trial, evidence, benchmark = contest.trial, contest.evidence, contest.fallback
    tested = [entry.method for entry in contest.tested]
    entered = [entry.method for entry in contest.rivals]
    now = weights(contest.drawn)
    if not tested:  # other items vouch for all that competes
        return replace(bare, winner=_joint(contest, _mix(entered, now), NO_CLAIM))
    where = evidence.claimed if now[: len(tested)].sum() > MOSTLY else np.zeros(evidence.origins.size, dtype=bool)
    then, without = weights(contest.drawn_then), weights(contest.drawn_without)
    members = Members(trial, evidence, tested)
    fit = members.weighed(then, where)
    plain = claim = claim_for(bare, trial, evidence, fit.errors, where)
    share = 1.0
    if benchmark is not None and plain.error > plain.benchmark_error:
        share, claim = _tempered(bare, contest, fit.errors, where, benchmark)
        if share == 0.0:
            return choice_of(replace(bare, lost="the blend", tempered=plain), trial, evidence, benchmark)
        bare = replace(bare, tempered=plain, share=share)
        mixed = _towards(then, tested, benchmark, share)
        members = Members(trial, evidence, _with(tested, benchmark))
        fit = members.weighed(mixed, where)
        without = _towards(without, tested, benchmark, share)
        now = _towards(now[None], entered, benchmark, share)[0]
        entered = _with(entered, benchmark)
    unmet = tuple(one for one in bare.unmet if "single" not in one)
    if conditions.target and not where.any():
        unmet += (f"whether the blend reaches {conditions.target} is not known",)
    elif conditions.target and not conditions.meets_target(_measures(contest, fit.points, where)):
        unmet += (f"the blend does not reach {conditions.target}",)
    bare, claim = _lowest(bare, contest, claim)
    if (group := contest.together.of(contest.evidence.item.item)) is not None:
        said = f"{bare.because}; what the sum of its {group.items} like it shows counts too"
        bare = replace(bare, because=said)
    basis = members.weighed(without, where)
    winner = _joint(contest, _mix(entered, now), claim)
    return replace(bare, winner=winner, hindcast=fit, basis=basis, claim=claim, unmet=unmet)


def _tempered(
    bare: Choice, contest: Contest, errors: FloatArray, where: BoolArray, benchmark: Entry
) -> tuple[float, Claim]:
    """The largest share of a blend that has not lost to the benchmark it is mixed with, and its claim."""
    trial, evidence = contest.trial, contest.evidence
    at = np.flatnonzero(evidence.route.origins)
    base = evidence.actuals - contest.field.one.points[trial.method_index(benchmark.method), at]
    for share in SHARES:
        claim = claim_for(bare, trial, evidence, share * errors + (1.0 - share) * base, where)
        if not claim.error > claim.benchmark_error:
            return share, claim
    return 0.0, NO_CLAIM


def _measures(contest: Contest, points: FloatArray, where: BoolArray) -> dict[str, float]:
    """All measures of forecasts (O, H) of an item at some of the origins."""
    evidence = contest.evidence
    at = np.flatnonzero(evidence.route.origins)[where]
    series = contest.trial.history[evidence.item.item]
    return item_measures(series, contest.field.one, at, evidence.known[where], points[where])


def _lowest(bare: Choice, contest: Contest, claim: Claim) -> tuple[Choice, Claim]:
    """The choice and its claim with the single method that had the lowest error on the same cells."""
    rivals = contest.tested if claim.origins else ()
    errors = ((entry, float(claim.errors[contest.trial.method_index(entry.method)])) for entry in rivals)
    known = {entry: error for entry, error in errors if not np.isnan(error)}
    if not known:
        return bare, claim
    best = min(known, key=lambda entry: (known[entry], entry.parameters))
    return replace(bare, best_single=best), replace(claim, single_error=known[best])


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


def trimmed(bare: Choice, contest: Contest) -> Choice:
    """The mean of simple methods without the highest and the lowest: nothing is weighed, so all its errors count."""
    trial, evidence = contest.trial, contest.evidence
    simple = [entry.method for entry in contest.field.rivals if entry.method in evidence.route.simple]
    methods = simple if len(simple) > 1 else [entry.method for entry in contest.field.rivals]
    where = np.ones(evidence.item.origins, dtype=bool)
    fit = hindcast_of(trial, evidence, methods, "trimmed", where)
    claim = claim_for(bare, trial, evidence, fit.errors, where)
    if contest.fallback is not None and claim.benchmark_error < claim.error:
        return choice_of(replace(bare, lost="the mean", tempered=claim), trial, evidence, contest.fallback)
    return replace(bare, winner=_joint(contest, combined(methods, "trimmed"), claim), hindcast=fit, claim=claim)


def unweighed(contest: Contest) -> bool:
    """Whether nothing tells how good methods are at this length: too few origins, or shorter ones, and no kin."""
    if contest.kin >= FEWEST_KIN:
        return False
    few = contest.evidence.origins.size < FEWEST_ORIGINS
    return few or contest.evidence.route.name in ("short", "new")


def of_the_season(bare: Choice, contest: Contest, rule: str | Rule) -> Choice:
    """What sees the season that the whole history shows and no test could include: of its error nothing is known."""
    methods = seasonal(contest)
    made = methods[0] if rule == "single" else combined(methods, "trimmed")
    tested = [entry.method for entry in contest.field.rivals]
    none = np.zeros(contest.evidence.origins.size, dtype=bool)
    fit = hindcast_of(contest.trial, contest.evidence, tested, "trimmed", none) if tested else None
    said = "; ".join(filter(None, (bare.because, UNSEEN)))
    return replace(bare, winner=Entry(made, np.nan, np.nan, (), ""), hindcast=fit, because=said)


def seasonal(contest: Contest) -> tuple[Method, ...]:
    """Methods that see a season shown hardly more than once, as far as they may be published."""
    seeing = (one for one in contest.evidence.route.listed if one.name in SEASONAL)
    return tuple(sorted(seeing, key=lambda one: SEASONAL.index(one.name)))


def choice_of(bare: Choice, trial: Trial, evidence: Evidence, entry: Entry) -> Choice:
    """A single method that no error has chosen as the choice, with its own forecasts and errors at all origins."""
    where = np.ones(evidence.item.origins, dtype=bool)
    fit = hindcast_of(trial, evidence, [entry.method], np.ones((evidence.item.origins, 1)), where)
    claim = claim_for(bare, trial, evidence, fit.errors, where)
    if claim.origins:  # to the last digit what the others are held against
        claim = replace(claim, error=float(claim.errors[trial.method_index(entry.method)]))
    return replace(bare, winner=entry, hindcast=fit, claim=claim)


def claim_for(bare: Choice, trial: Trial, evidence: Evidence, errors: FloatArray, where: BoolArray) -> Claim:
    """What may be said of errors at some of the origins, against the benchmark and the best single method."""
    rivals = (bare.benchmark, bare.best_single)
    benchmark, single = (None if one is None or one.missing else trial.method_index(one.method) for one in rivals)
    return claim_of(evidence, errors, where, benchmark, single)


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
