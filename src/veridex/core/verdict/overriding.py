"""A planner's own decision for an item, with the errors that the trial can give of it."""

from dataclasses import replace

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.trial import Trial
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.methods.method import Method
from veridex.core.verdict.blending import choice_of, claim_for
from veridex.core.verdict.choice import Choice, Override
from veridex.core.verdict.claim import NO_CLAIM
from veridex.core.verdict.evidence import Entry, Evidence
from veridex.core.verdict.hindcasting import hindcast_of
from veridex.core.verdict.routing import Route

__all__ = ["overridden", "replayed"]


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
    gathered = _gathered(before, trial, known, chosen)
    if gathered is None:
        return bare
    evidence, used = gathered
    if before.benchmark is not None:
        bare = replace(bare, benchmark=evidence.item.entry(before.benchmark.method))
    bare = replace(bare, evidence=evidence.item, used=used)
    entry = evidence.item.entry(chosen)
    if entry is not None:
        return choice_of(bare, trial, evidence, entry)
    return _joint(bare, trial, evidence, chosen)


def replayed(before: Choice, trial: Trial, known: BoolArray, chosen: Method) -> tuple[Evidence, Hindcast] | None:
    """The evidence of a choice with the forecasts of another method at its origins; None where it lacks some of them.

    Parameters
    ----------
    before : Choice
    trial : Trial
    known : ndarray of bool, shape (O, H)
        Cells that count.
    chosen : Method
        One of the trial, or a combination of such methods.
    """
    gathered = _gathered(before, trial, known, chosen)
    if gathered is None or before.used is None or not np.array_equal(gathered[1], before.used):
        return None
    return gathered[0], _fixed(trial, gathered[0], chosen)


def _gathered(before: Choice, trial: Trial, known: BoolArray, chosen: Method) -> tuple[Evidence, BoolArray] | None:
    """The evidence from the origins that could test a method or all its members, and these; None without any."""
    members = _members(chosen, trial)
    if any(one not in trial.lineup for one in members):
        return None
    one = trial[before.item]
    used = _tested(one, known, [trial.method_index(one) for one in members], before.used)
    if not used.any():
        return None
    return Evidence.gather(trial, one, Route(before.route, members, used, before.because), known), used


def _members(chosen: Method, trial: Trial) -> tuple[Method, ...]:
    """The methods of the trial that a method is made of: itself where it was entered."""
    return chosen.members if _joins(chosen) and chosen not in trial.lineup else (chosen,)


def _fixed(trial: Trial, evidence: Evidence, chosen: Method) -> Hindcast:
    """The forecasts of a method at each origin, its members joined as it will be published."""
    count = evidence.item.origins
    members = _members(chosen, trial)
    weights: FloatArray | str = np.ones((count, 1))
    if len(members) > 1:
        own = chosen.weights
        weights = np.tile(np.array(own), (count, 1)) if own else str(chosen.settings["weights"])
    return hindcast_of(trial, evidence, members, weights, np.ones(count, dtype=bool))


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
    fit = _fixed(trial, evidence, chosen)
    claim = claim_for(bare, trial, evidence, fit.errors, np.ones(evidence.item.origins, dtype=bool))
    parameters = [entry.parameters for entry in map(evidence.item.entry, chosen.members) if entry is not None]
    winner = Entry(chosen, claim.error, float(np.nansum(parameters)), (), "", claim.bias)
    return replace(bare, winner=winner, hindcast=fit, claim=claim)
