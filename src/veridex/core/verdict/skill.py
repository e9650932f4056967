"""How good methods are on an item, drawn towards how good they are on the portfolio's other items.

The logarithm of a method's error relative to its rivals' is a noisy figure with a dozen origins. What the item shows is
shrunk by N / (N + 72), N windows of errors, towards what the other items show whose histories are about as long: of
both only what was complete at the time.
"""

from collections.abc import Mapping
from dataclasses import dataclass
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


@dataclass(slots=True, eq=False)
class Pairs:
    """Sums over items of the differences between the logs of two methods, where an item has both.

    Attributes
    ----------
    times : ndarray of int, shape (T,)
        At which some item said something new.
    differences, counts : ndarray, shape (T, M, M)
    items : ndarray of int, shape (T, M)
        Items that tested a method.
    """

    times: IntArray
    differences: FloatArray
    counts: FloatArray
    items: IntArray

    @classmethod
    def nothing(cls, methods: int) -> "Pairs":
        """What nobody has said anything of."""
        both = np.zeros((0, methods, methods))
        return cls(np.empty(0, dtype=np.int64), both, both, np.zeros((0, methods), dtype=np.int64))

    def add(self, said: Said) -> None:
        """Add what an item says."""
        self._grow(np.union1d(self.times, said.times))
        apart, both, has = _paired(said, self.times)
        self.differences += apart
        self.counts += both
        self.items += has

    def _grow(self, times: IntArray) -> None:
        """Hold sums at more times: what holds at a new one is what held before it."""
        if times.size == self.times.size:
            return
        at = np.searchsorted(self.times, times, side="right") - 1
        for name in ("differences", "counts", "items"):
            old = getattr(self, name)
            new = np.zeros((times.size, *old.shape[1:]), dtype=old.dtype)
            new[at >= 0] = old[at[at >= 0]]
            setattr(self, name, new)
        self.times = times


def _paired(said: Said, moments: IntArray) -> tuple[FloatArray, FloatArray, IntArray]:
    """Differences (moments, M, M) of an item's logs, how much they count, and which methods it tested."""
    logs, counts = said.rows(moments)
    has = counts > 0.0
    both = np.minimum(counts[:, :, None], counts[:, None, :])
    return both * (logs[:, :, None] - logs[:, None, :]), both, has.astype(np.int64)


class Prior:
    """How good methods are on the items of a portfolio, by which of them are alike.

    What items say is added up, in the order of their names whatever theirs is, and not kept: whoever asks for an item
    says what that has added, and it is left out.
    """

    def __init__(self) -> None:
        self._pairs: dict[Kin, Pairs] = {}

    def add(self, said: Mapping[Kin, Said]) -> None:
        """Add what an item says."""
        for kin, own in said.items():
            self._pairs.setdefault(kin, Pairs.nothing(own.logs.shape[1])).add(own)

    @np.errstate(all="ignore")
    def means(self, kin: Kin, own: Said | None, places: list[int], moments: IntArray) -> tuple[FloatArray, IntArray]:
        """Mean logs of methods against each other over the kin of an item, as known at moments, drawn to nought.

        Parameters
        ----------
        kin : Kin
        own : Said or None
            What the item itself has added.
        places : list of int
            Of the methods in the lineup.
        moments : ndarray of int

        Returns
        -------
        tuple of ndarray, shape (moments, methods)
            The logs, about their mean, NaN where nobody tested a method; and how many items did.
        """
        pairs, shape = self._pairs.get(kin), (moments.size, len(places))
        if pairs is None:
            return np.full(shape, np.nan), np.zeros(shape, dtype=np.int64)
        at = np.searchsorted(pairs.times, moments, side="right") - 1
        where = np.maximum(at, 0)
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
