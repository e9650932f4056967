"""The forecasts of a choice at past origins, each with the weights that it would have had there."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray
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

__all__ = ["Members", "hindcast_of"]

FAR_OFF = 3.0
"""A normal score that one actual in seven hundred goes beyond: what a shift of the level leaves is further off."""


@dataclass(frozen=True, eq=False)
class Members:
    """Methods that are joined at the origins used, by one set of weights or another.

    Attributes
    ----------
    trial : Trial
    evidence : Evidence
    methods : sequence of Method
    """

    trial: Trial
    evidence: Evidence
    methods: Sequence[Method]

    def weighed(self, weights: FloatArray, claimed: BoolArray) -> Hindcast:
        """Joined by the weights (O, methods) at each origin.

        The transform of a mixture is the mean of its members', since all share how a value with a weight is split.

        Parameters
        ----------
        weights : ndarray, shape (O, methods)
        claimed : ndarray of bool, shape (O,)
            Origins at which there was evidence to decide from.
        """
        joint, stood = _mean(self._points, weights), _mean(self._stacked(self._one.transforms), weights)
        return self._joined(joint, self._laws, weights, stood, claimed)

    def by_rank(self, word: str, claimed: BoolArray) -> Hindcast:
        """Joined alike at all origins, by the word of a combination that says how."""
        joint = joined(self._points, word)
        laws = self._laws if word == "equal" else self._moved(joint)
        shares = drawn_shares(self._series.item, self._origins, joint.shape[1])
        stood = transforms(laws, self._one.actuals[self._at], shares)
        mixed = np.full((self._at.size, len(self.methods)), 1.0 / len(self.methods))
        return self._joined(joint, laws, mixed, _mean(stood, mixed), claimed)

    def _joined(
        self, points: FloatArray, laws: Laws, weights: FloatArray, stood: FloatArray, claimed: BoolArray
    ) -> Hindcast:
        means, squares = self._moments if laws is self._laws else _moments(laws)
        actuals = self._one.actuals[self._at]
        chances = self._chances if laws is self._laws else weights_of(laws, actuals)
        variance = _mean(squares, weights) - _mean(means, weights) ** 2
        last = self._origins.max(initial=self._series.start - 1)
        fit = Hindcast(
            item=self._series.item,
            origins=self._origins,
            cycles=float(cycles_at(self._series, np.array([last]))[0]),
            actuals=actuals,
            points=points,
            spread=np.sqrt(np.maximum(variance, 0.0)),
            transforms=stood,
            weights=_mean(chances, weights),
            supports=self._one.supports[self._at],
            claimed=claimed,
        )
        # What was forecast across a shift of the level is set aside; one is looked for where something is far off.
        return fit.shifted(self._shifts) if (np.abs(fit.scores) > FAR_OFF).any() else fit

    @cached_property
    def _one(self) -> ItemTrial:
        return self.trial[self.evidence.item.item]

    @cached_property
    def _series(self) -> ItemHistory:
        return self.trial.history[self.evidence.item.item]

    @cached_property
    def _at(self) -> IntArray:
        return np.flatnonzero(self.evidence.route.origins)

    @cached_property
    def _places(self) -> list[int]:
        return [self.trial.method_index(entered) for entered in self.methods]

    @cached_property
    def _origins(self) -> IntArray:
        return np.asarray(self._one.origins[self._at])

    def _stacked(self, array: FloatArray) -> FloatArray:
        """What the methods have at the origins, of all (M, O, ...)."""
        return np.asarray(array[self._places][:, self._at], dtype=np.float64)

    @cached_property
    def _points(self) -> FloatArray:
        return self._stacked(self._one.points)

    @cached_property
    def _laws(self) -> Laws:
        return self._one.laws_at(np.ix_(np.array(self._places), self._at))

    @cached_property
    def _moments(self) -> tuple[FloatArray, FloatArray]:
        return _moments(self._laws)

    @cached_property
    def _chances(self) -> FloatArray:
        """The probabilities of the actuals themselves."""
        return self._stacked(self._one.chances)

    @cached_property
    def _shifts(self) -> tuple[int, ...]:
        """First periods of new levels."""
        series = self._series
        return tuple(
            series.start + shift.place
            for shift in expect(series.values, series.season_length, turns=series.turns).shifts
        )

    def _moved(self, joint: FloatArray) -> Laws:
        """The members' laws around the point that ranks have chosen, as a combination publishes them."""
        law = self._stacked(self._one.laws)
        moved(law, joint - self._points)
        supports = np.broadcast_to(self._one.supports[self._at], (*self._points.shape[:2], 2))
        return Laws.of(law, supports[..., None, 0], supports[..., None, 1] > 0.0)


def hindcast_of(
    trial: Trial, evidence: Evidence, methods: Sequence[Method], weights: FloatArray | str, claimed: BoolArray
) -> Hindcast:
    """Join the forecasts of methods at each origin used, by weights (O, methods) or the word of a combination."""
    members = Members(trial, evidence, methods)
    return members.by_rank(weights, claimed) if isinstance(weights, str) else members.weighed(weights, claimed)


def _moments(laws: Laws) -> tuple[FloatArray, FloatArray]:
    """Means of laws, and of their squares."""
    means, spreads = laws.moments()
    return means, spreads**2 + means**2


def _mean(stack: FloatArray, weights: FloatArray) -> FloatArray:
    """Weighted means along the first axis; a member without weight need not have a forecast."""
    shares = weights.T[..., None]
    return np.asarray(np.where(shares > 0.0, shares * stack, 0.0).sum(axis=0))
