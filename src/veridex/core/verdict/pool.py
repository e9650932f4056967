"""How far forecasts of the portfolio's other items were off, in units of their standard errors.

A dozen overlapping origins of one item tell little about the tails of its errors. The same errors of all other items
that were decided in the same way tell more; an item's own quantiles are drawn towards theirs.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from veridex.core.scoring.conformal import NEIGHBOURS
from veridex.core.verdict.crossfit import Crossfit

__all__ = ["Pool"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Sample:
    """The scores of a lead time and its neighbours, of all items of a route.

    Attributes
    ----------
    values : ndarray, shape (n,)
        Ascending.
    own : dict of int to ndarray
        Where each item's scores stand in it, ascending.
    """

    values: FloatArray
    own: dict[int, NDArray[np.int64]]

    @classmethod
    def of(cls, scores: dict[int, FloatArray], step: int) -> "Sample":
        """Gather the scores (origins, steps) of items around a step."""
        span = slice(max(step - NEIGHBOURS, 0), step + NEIGHBOURS + 1)
        parts = {i: one[:, span].ravel() for i, one in scores.items()}
        parts = {i: part[np.isfinite(part)] for i, part in parts.items()}
        values = np.concatenate([*parts.values(), np.empty(0)])
        owners = np.repeat(np.fromiter(parts, dtype=np.int64), [part.size for part in parts.values()])
        order = np.argsort(values, kind="stable")
        by_owner = np.argsort(owners[order], kind="stable")
        ends = np.cumsum(np.bincount(owners, minlength=max(parts, default=0) + 1))
        starts = np.concatenate(([0], ends[:-1]))
        return cls(values[order], {i: by_owner[starts[i] : ends[i]] for i in parts})

    def without(self, item: int, levels: tuple[float, ...]) -> FloatArray:
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


class Pool:
    """The scores of all items of a verdict, by route.

    Parameters
    ----------
    fits : sequence of Crossfit or None
        In the order of the items.
    routes : sequence of str
    """

    def __init__(self, fits: Sequence[Crossfit | None], routes: Sequence[str]) -> None:
        self._routes = tuple(routes)
        self._steps: dict[str, list[Sample]] = {}
        self._totals: dict[str, list[Sample]] = {}
        for name in sorted(set(routes)):
            own = {i: fit for i, fit in enumerate(fits) if fit is not None and routes[i] == name}
            if len(own) < 2:
                continue
            horizon = next(iter(own.values())).actuals.shape[1]
            for kept, scores in (
                (self._steps, {i: fit.scores for i, fit in own.items()}),
                (self._totals, {i: fit.total_scores for i, fit in own.items()}),
            ):
                kept[name] = [Sample.of(scores, h) for h in range(horizon)]

    def steps(self, item: int, levels: tuple[float, ...]) -> FloatArray | None:
        """Quantiles (levels, steps) of the other items' scaled errors; None where there are no others."""
        return self._quantiles(self._steps, item, levels)

    def totals(self, item: int, levels: tuple[float, ...]) -> FloatArray | None:
        """The same of errors added up from the first lead time on."""
        return self._quantiles(self._totals, item, levels)

    def _quantiles(self, kept: dict[str, list[Sample]], item: int, levels: tuple[float, ...]) -> FloatArray | None:
        samples = kept.get(self._routes[item])
        if samples is None:
            return None
        return np.array([sample.without(item, levels) for sample in samples]).T.reshape(len(levels), len(samples))
