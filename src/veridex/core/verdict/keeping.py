"""What was published last time stays, unless something else was clearly better on the same origins.

Winners of one month and the next differ mostly by chance: their errors share most of their cells. A plan may therefore
ask that an item keeps its method until the evidence against it is more than one standard error, which respects that
lead times overlap (Diebold and Mariano, 1995, Journal of Business and Economic Statistics 13, 253-263; one standard
error is the rule of Breiman, Friedman, Olshen and Stone, 1984, Classification and Regression Trees, section 3.4.3).
"""

from collections.abc import Mapping
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from veridex.core.backtest.trial import Trial
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.methods.method import Method
from veridex.core.readable import number
from veridex.core.scoring.comparison import mean_error
from veridex.core.verdict.choice import Choice, Kept
from veridex.core.verdict.evidence import Entry, Evidence
from veridex.core.verdict.overriding import replayed
from veridex.core.verdict.reaching import counted_cells
from veridex.core.verdict.verdict import Verdict

__all__ = ["Before", "kept_until_worse"]


class Before(NamedTuple):
    """What was decided for an item last time, and by which route."""

    method: Method
    route: str


def kept_until_worse(verdict: Verdict, before: Mapping[str, Before]) -> Verdict:
    """The verdict with the methods of last time, but where the evidence is against one.

    A method is replaced where what would win now had a lower error by more than one standard error of the difference,
    where it lost to the benchmark itself, where the item is taken for something else than last time, or where the trial
    cannot test it. What is said of the error stays that of deciding anew at each origin.

    Parameters
    ----------
    verdict : Verdict
    before : mapping of str to Before
        By item; items that are not in it are decided anew.
    """

    def kept(choice: Choice) -> Choice:
        return _kept(choice, verdict, before[choice.item]) if choice.item in before else choice

    how = repr(sorted((item, one.method.text, one.route) for item, one in before.items()))
    return replace(verdict, choices=verdict.choices.changed(kept, how))


def _kept(choice: Choice, verdict: Verdict, before: Before) -> Choice:
    """One item's choice: the method of last time, or the new one with the reason against the old."""
    if choice.winner is None or choice.winner.method == before.method:
        return choice
    if choice.route != before.route:
        return _changed(choice, before.method, f"its demand is taken for {choice.route}, not {before.route} any more")
    known = counted_cells(verdict.trial[choice.item], verdict.conditions)
    again = replayed(choice, verdict.trial, known, before.method)
    if again is None:
        return _changed(choice, before.method, "no origin can test it beside what wins now")
    evidence, fit = again
    against = _against(choice, verdict.trial, evidence, fit)
    if against.reason:
        return _changed(choice, before.method, against.reason)
    made = [entry.parameters for entry in map(evidence.item.entry, before.method.members) if entry is not None]
    parameters = float(np.nansum(made)) if made else np.nan
    own = evidence.item.entry(before.method)
    winner = own or Entry(before.method, choice.claim.error, parameters, (), "", choice.claim.bias)
    return replace(choice, winner=winner, basis=fit, kept=Kept(choice.winner.method, against.said, stays=True), lost="")


def _changed(choice: Choice, old: Method, reason: str) -> Choice:
    return replace(choice, kept=Kept(old, reason, stays=False))


class Against(NamedTuple):
    """Why a method must go, empty where it need not; and how the two compare."""

    reason: str
    said: str


@np.errstate(all="ignore")
def _against(choice: Choice, trial: Trial, evidence: Evidence, fit: Hindcast) -> Against:
    """What speaks against the method of last time, on the origins at which both were decided by what was known."""
    fresh = choice.hindcast
    where = evidence.claimed
    if fresh is None or fresh.points.shape != fit.points.shape or not where.any():
        return Against("", "nothing tells which is better")
    old, new = (evidence.losses_of(one.errors)[where].sum(axis=-1) for one in (fit, fresh))
    cells = evidence.known[where].sum(axis=-1)
    gaps = (old - new) / cells
    error, rival = (float(evidence.error(evidence.losses_of(one.errors), where)) for one in (fit, fresh))
    said = f"{evidence.item.measure.upper()} {number(error, 3)} against {number(rival, 3)}"
    spread = float(mean_error(gaps, trial.overlap))
    if choice.benchmark is not None and choice.winner is not None:
        lost = evidence.losses[trial.method_index(choice.benchmark.method)]
        if error > (bar := float(evidence.error(np.nan_to_num(lost), where))) and rival <= bar:
            return Against(f"it lost to the benchmark, {number(error, 3)} against {number(bar, 3)}", said)
    if np.isnan(spread) or float(gaps.mean()) <= spread:
        return Against("", f"{said}, within one standard error")
    return Against(f"{said}, more than one standard error", said)
