"""How far forecasts of the portfolio's other items were off, in units of their standard errors.

A dozen overlapping origins of one item tell little about the tails of its errors. The same errors of all other items
that were decided in the same way tell more; an item's own quantiles are drawn towards theirs.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.calibration.conformal import NEIGHBOURS
from veridex.core.calibration.crossfit import Crossfit

__all__ = ["Pool"]


@dataclass(frozen=True, slots=True, eq=False)
class Sample:
    """The scores of a lead time and its neighbours, of all items of a route.

    Attributes
    ----------
    values : ndarray, shape (n,)
        Ascending.
    own : dict of str to ndarray
        Where each item's scores stand in it, ascending.
    """

    values: FloatArray
    own: Mapping[str, IntArray]

    @classmethod
    def of(cls, scores: Mapping[str, FloatArray], step: int) -> "Sample":
        """Gather the scores (origins, steps) of items around a step."""
        span = slice(max(step - NEIGHBOURS, 0), step + NEIGHBOURS + 1)
        parts = [one[:, span].ravel() for one in scores.values()]
        parts = [part[np.isfinite(part)] for part in parts]
        values = np.concatenate([*parts, np.empty(0)])
        owners = np.repeat(np.arange(len(parts)), [part.size for part in parts])
        order = np.argsort(values, kind="stable")
        by_owner = np.argsort(owners[order], kind="stable")
        ends = np.cumsum([part.size for part in parts])
        return cls(values[order], dict(zip(scores, np.split(by_owner, ends[:-1]), strict=True)))

    def without(self, item: str, levels: tuple[float, ...]) -> FloatArray:
        """Quantiles of what the other items have; NaN where they have too few."""
        own = self.own.get(item, np.empty(0, dtype=np.int64))
        others = self.values.size - own.size
        found = np.full(len(levels), np.nan)
        for j, level in enumerate(levels):
            rank = max(int(np.ceil((others + 1) * level / 100.0 - 1e-9)), 1)
            if rank > others:
                continue
            place, before = rank - 1, -1
            while place != before:  # move on past the item's own scores that stand before
                before = place
                place = rank - 1 + int(np.searchsorted(own, before, side="right"))
            found[j] = self.values[place]
        return found


@dataclass(frozen=True, eq=False)
class Pool:
    """The scores of a portfolio's items, by the route they were decided on.

    It is added up from what each item says, in any order to the same quantiles, and an item can be left out.

    Attributes
    ----------
    fits : mapping of str to mapping of str to Crossfit
        By route and item.
    """

    fits: Mapping[str, Mapping[str, Crossfit]] = field(default_factory=dict)

    @classmethod
    def of(cls, item: str, route: str, fit: Crossfit | None) -> "Pool":
        """What one item says; nothing where it was not tested."""
        return cls({} if fit is None else {route: {item: fit}})

    @classmethod
    def total(cls, parts: Iterable["Pool"]) -> "Pool":
        """The sum of many."""
        fits: dict[str, dict[str, Crossfit]] = {}
        for part in parts:
            for route, own in part.fits.items():
                fits.setdefault(route, {}).update(own)
        return cls(fits)

    def __add__(self, other: "Pool") -> "Pool":
        return Pool.total((self, other))

    @cached_property
    def _routes(self) -> dict[str, str]:
        return {item: route for route, own in self.fits.items() for item in own}

    @cached_property
    def _steps(self) -> dict[str, list[Sample]]:
        return self._samples(totals=False)

    @cached_property
    def _totals(self) -> dict[str, list[Sample]]:
        return self._samples(totals=True)

    def _samples(self, *, totals: bool) -> dict[str, list[Sample]]:
        found = {}
        for route, own in self.fits.items():
            if len(own) > 1:
                scores = {item: fit.total_scores if totals else fit.scores for item, fit in sorted(own.items())}
                horizon = next(iter(scores.values())).shape[1]
                found[route] = [Sample.of(scores, h) for h in range(horizon)]
        return found

    def steps(self, item: str, levels: tuple[float, ...]) -> FloatArray | None:
        """Quantiles (levels, steps) of scaled errors without the item's own; None where there are no others."""
        return self._without(self._steps, item, levels)

    def totals(self, item: str, levels: tuple[float, ...]) -> FloatArray | None:
        """The same of errors added up from the first lead time on."""
        return self._without(self._totals, item, levels)

    def _without(self, kept: dict[str, list[Sample]], item: str, levels: tuple[float, ...]) -> FloatArray | None:
        samples = kept.get(self._routes.get(item, ""))
        if samples is None:
            return None
        return np.array([sample.without(item, levels) for sample in samples]).T.reshape(len(levels), len(samples))
