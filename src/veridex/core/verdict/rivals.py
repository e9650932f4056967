"""Rival methods of one item: what each forecast at a past origin, how wrong it was, which of them is published."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.backtest.failed import reason_of
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.trial import Trial
from veridex.core.methods.fold.status import Status
from veridex.core.methods.method import Method
from veridex.core.methods.short_names import short_name
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.tested import BLEND, origin_place, trial_of
from veridex.core.verdict.verdict import Verdict

__all__ = ["Rivals", "StepErrors", "errors_by_step", "rivals_at", "rivals_errors"]


@dataclass(frozen=True, slots=True, eq=False)
class Rivals:
    """Forecasts of several methods for one item.

    Attributes
    ----------
    start : int
        Ordinal of the first period that is forecast.
    names : tuple of str
    points : ndarray, shape (names, H)
    errors : list of float
    reasons : dict of int to str
        Why there is no forecast, by place.
    won : int or None
        Which of them is published.
    """

    start: int
    names: tuple[str, ...]
    points: FloatArray
    errors: list[float]
    reasons: dict[int, str]
    won: int | None


def rivals_errors(choice: Choice) -> list[float]:
    """The errors that a verdict goes by, of each method of the lineup."""
    claim = choice.claim
    return claim.errors.tolist() if claim.origins else [entry.error for entry in choice.evidence.entries]


def rivals_at(
    source: Trial | Verdict,
    one: ItemTrial,
    named: Sequence[Method],
    errors: Sequence[float],
    origin: object = None,
) -> Rivals:
    """What methods forecast for an item at a past origin, by default the last.

    `errors` are those of each method of the lineup. Of a verdict that joined several methods the blend is one more, as
    it was decided then.

    Raises
    ------
    ParameterError, ItemUnknown
        If there is no such method or origin.
    """
    trial, item = trial_of(source), one.item
    choice = source.choice(item) if isinstance(source, Verdict) else None
    places = [trial.method_index(method) for method in named]
    names, own = [short_name(method) for method in named], [errors[m] for m in places]
    tried = (one.status[places] != Status.NO_FOLD).any(axis=0)
    if not tried.any():
        reasons = {k: reason_of(trial, m, item) for k, m in enumerate(places)}
        nothing = np.full((len(named), trial.horizon), np.nan)
        series = trial.history[item]
        return Rivals(series.start + len(series), tuple(names), nothing, own, reasons, None)
    whole = one.points[places]
    both = (~np.isnan(whole).all(axis=0) & ~np.isnan(one.actuals)).any(axis=1)
    at = int(np.flatnonzero(tried)[origin_place(one.origins[tried], np.asarray(both)[tried], trial.history, origin)])
    points, won = whole[:, at], None
    lacking = np.flatnonzero(np.isnan(points).all(axis=1)).tolist()
    idle = {k for k in lacking if np.isnan(whole[k]).all()}
    reasons = {k: (reason_of(trial, places[k], item) if k in idle else "") or "not at this origin" for k in lacking}
    if choice is not None and choice.winner is not None:
        won = next((k for k, method in enumerate(named) if method == choice.winner.method), None)
        blend = choice.hindcast if choice.joined else None
        if blend is not None and (where := np.flatnonzero(blend.origins == one.origins[at])).size:
            names, own, won = [*names, BLEND], [*own, choice.claim.error], len(names)
            points = np.concatenate((points, blend.points[where[:1]]))
    return Rivals(int(one.origins[at]) + 1, tuple(names), points, own, reasons, won)


@dataclass(frozen=True, slots=True, eq=False)
class StepErrors:
    """Mean absolute errors by lead time: of how many origins, whose, and the errors, shape (names, H)."""

    origins: int
    names: tuple[str, ...]
    means: FloatArray


@np.errstate(all="ignore")
def errors_by_step(source: Trial | Verdict, ones: Sequence[ItemTrial], named: Sequence[Method]) -> list[StepErrors]:
    """Mean absolute errors of items by lead time, on the cells that all who forecast an item at all have.

    Of a verdict that joined several methods the blend is one more, and the cells are those that it was decided for by
    what was known.
    """
    trial = trial_of(source)
    names = (*(short_name(method) for method in named), BLEND)
    places = [trial.method_index(method) for method in named]
    origins, steps = max((one.actuals.shape[0] for one in ones), default=0), trial.horizon
    errors = np.full((len(ones), len(names), origins, steps), np.nan)
    for own, one in zip(errors, ones, strict=True):
        own[:-1, : one.actuals.shape[0]] = one.actuals - one.points[places]
        if isinstance(source, Verdict):
            _fill_blend(own[-1], one, source.choice(one.item))
    sizes = np.abs(errors)
    able = np.asarray((~np.isnan(sizes)).any(axis=(2, 3)))
    known = np.asarray((~np.isnan(sizes) | ~able[..., None, None]).all(axis=1))
    known &= np.asarray(able.any(axis=1))[:, None, None]
    means = np.where(known[:, None], sizes, 0.0).sum(axis=2) / known.sum(axis=1)[:, None]
    counts = np.asarray(known.any(axis=2)).sum(axis=1).tolist()
    return [
        StepErrors(count, tuple(name for name, there in zip(names, own, strict=True) if there), found[own])
        for count, own, found in zip(counts, able, means, strict=True)
    ]


def _fill_blend(errors: FloatArray, one: ItemTrial, choice: Choice) -> None:
    """The errors (O, H) of what was joined, at the origins that could be decided by what was known."""
    fit = choice.hindcast if choice.joined else None
    if fit is None or not fit.claimed.any():
        return
    tried = (one.status != Status.NO_FOLD).any(axis=0)
    places = {origin: place for place, origin in enumerate(one.origins.tolist()) if tried[place]}
    errors[[places[origin] for origin in fit.origins[fit.claimed].tolist()]] = (fit.actuals - fit.points)[fit.claimed]
