"""How good methods are on an item, drawn towards how good they are on the portfolio's other items.

The logarithm of a method's error relative to its rivals' is a noisy figure with a dozen origins. What the item shows is
shrunk by N / (N + 72), N windows of errors, towards what the other items show whose histories are about as long: of
both only what was complete at the time.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.verdict.completed import Completed

__all__ = ["PRIOR_WINDOWS", "Kin", "Prior", "Said", "centred", "shrunk", "weights"]


PRIOR_WINDOWS = 72.0
"""The portfolio's other items count as so many windows of errors."""

PRIOR_ITEMS = 8.0
"""Methods that are all alike count as so many items."""

POWER = 16.0
"""Weights are the relative error to minus this power."""

SMALLEST = 0.005
"""Shares below this are left out."""


class Kin(NamedTuple):
    """Which items are alike: judged by the same power of errors, from histories that show as much."""

    power: float
    stage: int


@dataclass(frozen=True, slots=True, eq=False)
class Said:
    """What an item says of its methods: logs of their errors, as known from each time on.

    Attributes
    ----------
    times : ndarray of int, shape (T,)
    logs : ndarray, shape (T, M)
        NaN where a method was not tested.
    counts : ndarray, shape (T,)
        Windows of errors that were complete, at most one: more do not make an item more of a witness.
    """

    times: IntArray
    logs: FloatArray
    counts: FloatArray

    @classmethod
    @np.errstate(all="ignore")
    def of(cls, done: Completed, power: float, window: float) -> "Said":
        """What completed losses say; `window` is the number of cells of an origin."""
        means = done.sums / done.cells[:, None]
        logs = np.log(means) / power
        # Where a method made no error at all, as zero of what nobody buys any more, logs tell others nothing.
        logs[(means == 0.0).any(axis=1)] = np.nan
        return cls(done.times, logs, np.minimum(done.cells / window, 1.0))

    def rows(self, moments: IntArray) -> tuple[FloatArray, FloatArray]:
        """Logs (moments, M) with NaN as nothing, and how much each counts."""
        at = np.searchsorted(self.times, moments, side="right") - 1
        logs = self.logs[np.maximum(at, 0)]
        counts = np.where(at < 0, 0.0, self.counts[np.maximum(at, 0)])[:, None] * ~np.isnan(logs)
        return np.nan_to_num(logs), counts


@dataclass(frozen=True, slots=True, eq=False)
class Pairs:
    """Sums over items of the differences between the logs of two methods, where an item has both.

    Attributes
    ----------
    times : ndarray of int, shape (T,)
    differences, counts : ndarray, shape (T, M, M)
    items : ndarray of int, shape (T, M)
        Items that tested a method.
    """

    times: IntArray
    differences: FloatArray
    counts: FloatArray
    items: IntArray

    @classmethod
    def of(cls, said: Iterable[Said]) -> "Pairs":
        """Add up what items say, in the order given."""
        parts = list(said)
        times = np.unique(np.concatenate([part.times for part in parts]))
        shape = (times.size, parts[0].logs.shape[1])
        differences, counts = (np.zeros((*shape, shape[1])) for _ in range(2))
        items = np.zeros(shape, dtype=np.int64)
        for part in parts:
            apart, both, has = _paired(part, times)
            differences += apart
            counts += both
            items += has
        return cls(times, differences, counts, items)


def _paired(said: Said, moments: IntArray) -> tuple[FloatArray, FloatArray, IntArray]:
    """Differences (moments, M, M) of an item's logs, how much they count, and which methods it tested."""
    logs, counts = said.rows(moments)
    has = counts > 0.0
    both = np.minimum(counts[:, :, None], counts[:, None, :])
    return both * (logs[:, :, None] - logs[:, None, :]), both, has.astype(np.int64)


@dataclass(frozen=True, eq=False)
class Prior:
    """How good methods are on the items of a portfolio, by which of them are alike.

    It is added up from what each item says, in any order to the same numbers, and an item can be left out.

    Attributes
    ----------
    said : mapping of Kin to mapping of str to Said
        By kin and item.
    """

    said: Mapping[Kin, Mapping[str, Said]] = field(default_factory=dict)

    @classmethod
    def of(cls, item: str, said: Mapping[Kin, Said]) -> "Prior":
        """What one item says."""
        return cls({kin: {item: own} for kin, own in said.items()})

    @classmethod
    def total(cls, parts: Iterable["Prior"]) -> "Prior":
        """The sum of many."""
        found: dict[Kin, dict[str, Said]] = {}
        for part in parts:
            for kin, own in part.said.items():
                found.setdefault(kin, {}).update(own)
        return cls(found)

    def __add__(self, other: "Prior") -> "Prior":
        return Prior.total((self, other))

    def without(self, item: str) -> "Prior":
        """The same without an item."""
        return Prior({kin: {k: v for k, v in own.items() if k != item} for kin, own in self.said.items()})

    @cached_property
    def _pairs(self) -> dict[Kin, Pairs]:
        return {kin: Pairs.of(own[item] for item in sorted(own)) for kin, own in self.said.items() if own}

    @np.errstate(all="ignore")
    def means(self, kin: Kin, item: str, places: list[int], moments: IntArray) -> tuple[FloatArray, IntArray]:
        """Mean logs of methods against each other over the kin of an item, as known at moments, drawn to nought.

        Returns
        -------
        tuple of ndarray, shape (moments, methods)
            The logs, about their mean, NaN where nobody tested a method; and how many items did.
        """
        pairs, shape = self._pairs.get(kin), (moments.size, len(places))
        if pairs is None:
            return np.full(shape, np.nan), np.zeros(shape, dtype=np.int64)
        at = np.searchsorted(pairs.times, moments, side="right") - 1
        own, where = self.said[kin].get(item), np.maximum(at, 0)
        apart, both, items = pairs.differences[where], pairs.counts[where], pairs.items[where]
        if own is not None:
            less = _paired(own, pairs.times[where])
            apart, both, items = apart - less[0], both - less[1], items - less[2]
        grid = np.ix_(range(moments.size), places, places)
        items = np.where((at < 0)[:, None], 0, items[:, places])
        known = (items[:, :, None] > 0) & (items[:, None, :] > 0) & (both[grid] > 1e-9)
        mean = np.where(known, apart[grid] / both[grid], 0.0).sum(axis=2) / known.sum(axis=2)
        mean[items == 0] = np.nan
        heard = items.max(axis=1, initial=0)[:, None]
        return centred(mean) * heard / (heard + PRIOR_ITEMS), items


def centred(logs: FloatArray) -> FloatArray:
    """Values (..., methods) about the mean of those that are known."""
    known = ~np.isnan(logs)
    total = np.where(known, logs, 0.0).sum(axis=-1, keepdims=True)
    return np.asarray(logs - total / np.maximum(known.sum(axis=-1, keepdims=True), 1))


def shrunk(own: FloatArray, windows: FloatArray, alike: FloatArray, aim: FloatArray) -> FloatArray:
    """Logs of relative errors (..., methods) to be expected; those of the mean for a method of which nothing is known.

    Parameters
    ----------
    own : ndarray, shape (..., methods)
        What the item shows; NaN where a method was not tested.
    windows : ndarray, shape (...)
        Windows of errors that it shows it in.
    alike : ndarray, shape (..., methods)
        What other items showed from histories as long as the item's were at those windows.
    aim : ndarray, shape (..., methods)
        The same from histories as long as the one that is forecast from.
    """
    share = (windows / (windows + PRIOR_WINDOWS))[..., None]
    known = ~np.isnan(own)
    against = np.where(known, np.nan_to_num(alike), np.nan)
    more = np.where(known, centred(own) - centred(against), 0.0)
    return np.asarray(np.nan_to_num(aim) + share * np.nan_to_num(more))


def weights(logs: FloatArray) -> FloatArray:
    """Shares (..., methods) of shrunk logs; they add up to one."""
    raw = np.exp(-POWER * (logs - logs.min(axis=-1, keepdims=True)))
    found = raw / raw.sum(axis=-1, keepdims=True)
    found = np.where(found < SMALLEST, 0.0, found)
    return np.asarray(found / found.sum(axis=-1, keepdims=True))
