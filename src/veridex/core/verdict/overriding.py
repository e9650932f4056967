"""A planner's own decision for an item, with the errors that the trial can give of it."""

from dataclasses import replace

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.trial import Trial
from veridex.core.methods.method import Method
from veridex.core.verdict.blending import choice_of, claim_for
from veridex.core.verdict.choice import Choice, Override
from veridex.core.verdict.claim import NO_CLAIM
from veridex.core.verdict.evidence import Entry, Evidence
from veridex.core.verdict.hindcasting import hindcast_of
from veridex.core.verdict.routing import Route

__all__ = ["overridden"]


def overridden(before: Choice, trial: Trial, known: BoolArray, chosen: Method, reason: str) -> Choice:
    """The choice with another method.

    A method of the trial brings its own errors, and so does a combination of such methods; where some origins could not
    test it, those of the others.

    Parameters
    ----------
    before : Choice
    trial : Trial
    known : ndarray of bool, shape (O, H)
        Cells that count.
    chosen : Method
    reason : str
    """
    bare = replace(
        before,
        winner=Entry(chosen, float("nan"), float("nan"), (), ""),
        hindcast=None,
        basis=None,
        claim=NO_CLAIM,
        tempered=None,
        share=1.0,
        lost="",
        unmet=(),
        override=Override(reason, before.winner.method if before.winner else None),
    )
    members = chosen.members if _joins(chosen) and chosen not in trial.lineup else (chosen,)
    if any(one not in trial.lineup for one in members):
        return bare
    one = trial[before.item]
    used = _tested(one, known, [trial.method_index(one) for one in members], before.used)
    if not used.any():
        return bare
    evidence = Evidence.gather(trial, one, Route(before.route, members, used, before.because), known)
    if before.benchmark is not None:
        bare = replace(bare, benchmark=evidence.item.entry(before.benchmark.method))
    bare = replace(bare, evidence=evidence.item, used=used)
    if len(members) == 1:
        entry = evidence.item.entry(chosen)
        assert entry is not None
        return choice_of(bare, trial, evidence, entry)
    return _joint(bare, trial, evidence, chosen)


def _joins(chosen: Method) -> bool:
    """Whether it is nothing but other methods joined."""
    return chosen.name == "combination" and {key for key, _ in chosen.given} <= {"of", "weights"}


def _tested(one: ItemTrial, known: BoolArray, places: list[int], used: BoolArray | None) -> BoolArray:
    """The origins at which every member has all cells that count: of those used before, else of all."""
    has = ~np.isnan(one.points[places])
    able = np.asarray((has | ~known).all(axis=(0, 2)) & known.any(axis=1))
    within = able if used is None else np.asarray(able & used)
    return within if within.any() else able


def _joint(bare: Choice, trial: Trial, evidence: Evidence, chosen: Method) -> Choice:
    """A combination of methods of the trial, joined at each origin as it will be published."""
    where = np.ones(evidence.item.origins, dtype=bool)
    weights: FloatArray | str = str(chosen.settings["weights"])
    if chosen.weights:
        weights = np.tile(np.array(chosen.weights), (evidence.item.origins, 1))
    fit = hindcast_of(trial, evidence, chosen.members, weights, where)
    claim = claim_for(bare, trial, evidence, fit.errors, where)
    parameters = [entry.parameters for entry in map(evidence.item.entry, chosen.members) if entry is not None]
    winner = Entry(chosen, claim.error, float(np.nansum(parameters)), (), "", claim.bias)
    return replace(bare, winner=winner, hindcast=fit, claim=claim)
