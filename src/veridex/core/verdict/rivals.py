"""Rival methods of one item: what each forecast at a past origin, how wrong it was, which of them is published."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.backtest.failed import reason_of
from veridex.core.backtest.trial import Trial
from veridex.core.methods.fold.status import Status
from veridex.core.methods.method import Method
from veridex.core.methods.short_names import short_name
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.tested import decided_then, origin_place, trial_of
from veridex.core.verdict.verdict import Verdict

__all__ = ["BLEND", "Rival", "errors_by_step", "rivals_at", "rivals_errors"]

BLEND = "the blend, as decided then"


@dataclass(frozen=True, slots=True, eq=False)
class Rival:
    """Whose forecast, the forecast, its error, why there is none, and whether it is published."""

    name: str
    points: FloatArray
    error: float
    reason: str
    won: bool = False


def rivals_errors(choice: Choice) -> dict[Method, float]:
    """The error of each method of the lineup that a verdict goes by."""
    claim, entries = choice.claim, choice.evidence.entries
    own = claim.errors if claim.origins else [entry.error for entry in entries]
    return {entry.method: float(error) for entry, error in zip(entries, own, strict=True)}


def rivals_at(
    source: Trial | Verdict,
    item: str,
    named: Sequence[Method],
    errors: Mapping[Method, float],
    origin: object = None,
) -> tuple[int, list[Rival]]:
    """What methods forecast at a past origin, by default the last: the ordinal of the first period, and the rivals.

    Of a verdict that joined several methods the blend is one more, as it was decided then.

    Raises
    ------
    ParameterError, ItemUnknown
        If there is no such method, origin or item.
    """
    trial = trial_of(source)
    one, series = trial[item], trial.history[item]
    choice = source.choice(item) if isinstance(source, Verdict) else None
    places = [trial.method_index(method) for method in named]
    tried = (one.status[places] != Status.NO_FOLD).any(axis=0)
    if not tried.any():
        nothing = np.full(trial.horizon, np.nan)
        each = zip(named, places, strict=True)
        rivals = [Rival(short_name(method), nothing, np.nan, _reason(trial, item, m)) for method, m in each]
        return series.start + len(series), rivals
    forecast = ~np.isnan(one.points[places]).all(axis=0)
    both = np.asarray((forecast & ~np.isnan(one.actuals)).any(axis=1))[tried]
    at = int(np.flatnonzero(tried)[origin_place(one.origins[tried], both, series, origin)])
    winner = None if choice is None else choice.winner
    rivals = [
        Rival(
            short_name(method),
            one.points[m, at],
            errors[method],
            _reason(trial, item, m),
            winner is not None and winner.method == method,
        )
        for method, m in zip(named, places, strict=True)
    ]
    if choice is not None and choice.joined:
        blend = decided_then(trial, choice)
        if blend is not None and (where := np.flatnonzero(blend.origins == one.origins[at])).size:
            rivals.append(Rival(BLEND, blend.points[where[0]], choice.claim.error, "", True))
    return int(one.origins[at]) + 1, rivals


def _reason(trial: Trial, item: str, m: int) -> str:
    """Why a method has no forecast anywhere, or else not at one origin."""
    nowhere = np.isnan(trial[item].points[m]).all()
    return (reason_of(trial, m, item) if nowhere else "") or "not at this origin"


@np.errstate(all="ignore")
def errors_by_step(source: Trial | Verdict, item: str, named: Sequence[Method]) -> tuple[int, dict[str, FloatArray]]:
    """Mean absolute errors of an item by lead time, on the cells that all who forecast it at all have.

    Of a verdict that joined several methods the blend is one more, and the cells are those that it was decided for by
    what was known. Returns how many origins these are of, and the errors by name, each of shape (H,).
    """
    trial = trial_of(source)
    one = trial[item]
    errors = {short_name(method): one.actuals - one.points[trial.method_index(method)] for method in named}
    choice = source.choice(item) if isinstance(source, Verdict) else None
    fit = choice.hindcast if choice is not None and choice.joined else None
    if fit is not None and fit.claimed.any():
        own = np.full(one.actuals.shape, np.nan)
        tried = (one.status != Status.NO_FOLD).any(axis=0)
        places = {origin: place for place, origin in enumerate(one.origins.tolist()) if tried[place]}
        for origin, missed in zip(
            fit.origins[fit.claimed].tolist(), (fit.actuals - fit.points)[fit.claimed], strict=True
        ):
            own[places[origin]] = missed
        errors[BLEND] = own
    able = [values for values in errors.values() if not np.isnan(values).all()]
    if not able:
        return 0, {}
    known = ~np.isnan(np.stack(able)).any(axis=0)
    counts = known.sum(axis=0)
    found = {
        name: np.where(counts > 0, np.where(known, np.abs(values), 0.0).sum(axis=0) / counts, np.nan)
        for name, values in errors.items()
        if not np.isnan(values).all()
    }
    return int(known.any(axis=1).sum()), found
