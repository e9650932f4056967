"""Where actuals of the portfolio's other items stood in the laws that were forecast for them.

A dozen overlapping origins of one item tell little about a tail. Those of all other items that were decided in the same
way, from a history about as long, tell more.
"""

import hashlib
from bisect import insort
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.calibration.dependence import correlations
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.calibration.peers import NOTHING, Peers, Shown
from veridex.core.periods.moments import NOW

__all__ = ["Pool"]

SHORT, MIDDLE = 2.5, 4.2
"""Seasons of history below which an item is short, and below which it is of middle length."""

SAMPLE = 1000
"""Items of a route and length of history that are asked; more would tell no more than their origins have in common."""

FEWEST = 5
"""Fewer other items than these are no company: those of any length are taken, then those of any route."""


class Key(NamedTuple):
    """Which items are alike: by route and by length of history; empty and -1 where that does not count."""

    route: str
    length: int


@dataclass(frozen=True, eq=False)
class Pool:
    """The scores of a portfolio's items, by the route they were decided on.

    Of each route and length of history a sample of `SAMPLE` items: those whose names have the lowest digests, so that
    it depends neither on their order nor on who adds them.

    Attributes
    ----------
    fits : dict of Key to dict of str to Hindcast
        By route and length, and item.
    """

    fits: dict[Key, dict[str, Hindcast]] = field(default_factory=dict)
    _order: dict[Key, list[tuple[bytes, str]]] = field(default_factory=dict, repr=False)

    @classmethod
    def of(cls, *told: tuple[str, Hindcast]) -> "Pool":
        """What items say, each by its route."""
        pool = cls()
        for route, fit in told:
            pool.add(route, fit)
        return pool

    def add(self, route: str, fit: Hindcast | None) -> None:
        """Add what an item says, where it was tested."""
        if fit is None:
            return
        key, place = Key(route, _length(fit.cycles)), (_digest(fit.item), fit.item)
        own, order = self.fits.setdefault(key, {}), self._order.setdefault(key, [])
        if len(order) == SAMPLE and place > order[-1]:
            return
        insort(order, place)
        own[fit.item] = fit
        if len(order) > SAMPLE:
            del own[order.pop()[1]]

    def get(self, route: str, item: str) -> Hindcast | None:
        """What an item said, if it is in the sample."""
        return next((own[item] for key, own in self.fits.items() if key.route == route and item in own), None)

    @property
    def every(self) -> list[Hindcast]:
        """All of the sample."""
        return [fit for own in self.fits.values() for fit in own.values()]

    @cached_property
    def _groups(self) -> dict[Key, list[Hindcast]]:
        found: dict[Key, list[Hindcast]] = {}
        every = sorted(((key.route, fit) for key, own in self.fits.items() for fit in own.values()), key=_by_item)
        for route, fit in every:
            for key in (Key(route, _length(fit.cycles)), Key(route, -1), Key("", -1)):
                found.setdefault(key, []).append(fit)
        return found

    @cached_property
    def _members(self) -> dict[Key, frozenset[str]]:
        return {key: frozenset(fit.item for fit in fits) for key, fits in self._groups.items()}

    @cached_property
    def _shown(self) -> dict[Key, Shown]:
        return {}

    def _key(self, item: str, route: str, cycles: float) -> Key | None:
        """The narrowest group that is company for an item."""
        for key in (Key(route, _length(cycles)), Key(route, -1), Key("", -1)):
            members = self._members.get(key, frozenset())
            if len(members) - (item in members) >= FEWEST:
                return key
        return None

    def peers(self, item: str, route: str, cycles: float, moment: int = NOW) -> Peers:
        """What was known at a moment of items like this one, itself with them; nothing where there is no company."""
        key = self._key(item, route, cycles)
        if key is None:
            return NOTHING
        if key not in self._shown:
            self._shown[key] = Shown(tuple(self._groups[key]))
        return self._shown[key].at(moment)

    @cached_property
    def _dependence(self) -> dict[str, FloatArray]:
        return {key.route: correlations(fits) for key, fits in self._groups.items() if key.length == -1}

    def dependence(self, route: str) -> FloatArray | None:
        """How errors at lead times go together, correlations (H, H); None where nothing was tested."""
        return self._dependence.get(route, self._dependence.get(""))

    def totals(self, first: int = 1) -> "Pool":
        """The pool of demand from a lead time on up to each later one."""
        if first not in self._totals:
            found: dict[Key, dict[str, Hindcast]] = {}
            for key, own in self.fits.items():
                together = self.dependence(key.route)
                assert together is not None
                found[key] = {item: fit.totals(together, first) for item, fit in own.items()}
            self._totals[first] = Pool(found)
        return self._totals[first]

    @cached_property
    def _totals(self) -> dict[int, "Pool"]:
        return {}

    @cached_property
    def told(self) -> IntArray:
        """How many origins of all items told each lead time, shape (H,)."""
        return np.asarray(sum((~np.isnan(fit.transforms)).sum(axis=0) for fit in self.every))

    @property
    def bare(self) -> "Pool":
        """The same without what was worked out from it, to be handed on."""
        return Pool(self.fits)


def _digest(item: str) -> bytes:
    return hashlib.blake2b(item.encode("utf-8", "surrogatepass"), digest_size=8).digest()


def _by_item(pair: tuple[str, Hindcast]) -> str:
    return pair[1].item


def _length(cycles: float) -> int:
    return int(cycles >= SHORT) + int(cycles >= MIDDLE)
