"""The forecasts of a choice at past origins, each with the weights that it would have had there."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.trial import Trial
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.history.item import ItemHistory
from veridex.core.history.lengths import cycles_at
from veridex.core.laws.components import moved
from veridex.core.laws.laws import Laws
from veridex.core.laws.transforms import drawn_shares, transforms, weights_of
from veridex.core.methods.made_of.combination import joined
from veridex.core.methods.method import Method
from veridex.core.reading.expectation import expect
from veridex.core.verdict.evidence import Evidence

__all__ = ["hindcast_of"]

FAR_OFF = 3.0
"""A normal score that one actual in seven hundred goes beyond: what a shift of the level leaves is further off."""


def hindcast_of(
    trial: Trial, evidence: Evidence, methods: Sequence[Method], weights: FloatArray | str, claimed: BoolArray
) -> Hindcast:
    """Join the forecasts of methods at each origin used.

    The transform of a mixture is the mean of its members', since all share how a value with a weight is split.

    Parameters
    ----------
    weights : ndarray, shape (O, methods), or str
        The weights at each origin, or the word of a combination that says how to join them.
    claimed : ndarray of bool, shape (O,)
        Origins at which there was evidence to decide from.
    """
    one, at = trial[evidence.item.item], np.flatnonzero(evidence.route.origins)
    places = [trial.method_index(entered) for entered in methods]
    series = trial.history[evidence.item.item]

    def stacked(array: NDArray[Any]) -> FloatArray:
        return np.asarray(array[places][:, at], dtype=np.float64)

    points, where = stacked(one.points), np.ix_(np.array(places), at)
    if isinstance(weights, str):
        joint = joined(points, weights)
        laws = _ranked(one, where, joint, points) if weights != "equal" else one.laws_at(where)
        mixed = np.full((at.size, len(places)), 1.0 / len(places))
        shares = drawn_shares(series.item, one.origins[at], joint.shape[1])
        stood = transforms(laws, one.actuals[at], shares)
    else:
        joint, mixed = _mean(points, weights), weights
        laws, stood = one.laws_at(where), stacked(one.transforms)
    means, spreads = laws.moments()
    squares = _mean(spreads**2 + means**2, mixed) - _mean(means, mixed) ** 2
    last = one.origins[at].max(initial=series.start - 1)
    fit = Hindcast(
        item=series.item,
        origins=one.origins[at],
        cycles=float(cycles_at(series, np.array([last]))[0]),
        actuals=one.actuals[at],
        points=joint,
        spread=np.sqrt(np.maximum(squares, 0.0)),
        transforms=_mean(stood, mixed),
        weights=_mean(weights_of(laws, one.actuals[at]), mixed),
        supports=one.supports[at],
        claimed=claimed,
    )
    return _set_aside(fit, series)


def _ranked(one: ItemTrial, where: Any, joint: FloatArray, points: FloatArray) -> Laws:
    """The members' laws around the point that ranks have chosen, as a combination publishes them."""
    law = np.array(one.laws[where], dtype=np.float64)
    moved(law, joint - points)
    supports = np.broadcast_to(one.supports[where[1].ravel()], (*points.shape[:2], 2))
    return Laws.of(law, supports[..., None, 0], supports[..., None, 1] > 0.0)


def _set_aside(fit: Hindcast, series: ItemHistory) -> Hindcast:
    """The same without what was forecast across a shift of the level; looked for where something is far off."""
    if not (np.abs(fit.scores) > FAR_OFF).any():
        return fit
    shifts = expect(series.values, series.season_length).shifts
    return fit.shifted(tuple(series.start + shift.place for shift in shifts))


def _mean(stack: FloatArray, weights: FloatArray) -> FloatArray:
    """Weighted means along the first axis; a member without weight need not have a forecast."""
    shares = weights.T[..., None]
    return np.asarray(np.where(shares > 0.0, shares * stack, 0.0).sum(axis=0))
