"""Where actuals of the portfolio's other items stood in the laws that were forecast for them.

A dozen overlapping origins of one item tell little about a tail. Those of all other items that were decided in the same
way, from a history about as long, tell more.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

from veridex.core.arrays import FloatArray
from veridex.core.calibration.dependence import correlations
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.calibration.peers import NOTHING, Peers, Shown
from veridex.core.periods.moments import NOW

__all__ = ["Pool"]

SHORT, MIDDLE = 2.5, 4.2
"""Seasons of history below which an item is short, and below which it is of middle length."""

FEWEST = 5
"""Fewer other items than these are no company: those of any length are taken, then those of any route."""


class Key(NamedTuple):
    """Which items are alike: by route and by length of history; empty and -1 where that does not count."""

    route: str
    length: int


@dataclass(frozen=True, eq=False)
class Pool:
    """The scores of a portfolio's items, by the route they were decided on.

    It is added up from what each item says, in any order to the same numbers, and an item can be left out.

    Attributes
    ----------
    fits : mapping of str to mapping of str to Hindcast
        By route and item.
    """

    fits: Mapping[str, Mapping[str, Hindcast]] = field(default_factory=dict)

    @classmethod
    def of(cls, route: str, fit: Hindcast | None) -> "Pool":
        """What one item says; nothing where it was not tested."""
        return cls({} if fit is None else {route: {fit.item: fit}})

    @classmethod
    def total(cls, parts: Iterable["Pool"]) -> "Pool":
        """The sum of many."""
        fits: dict[str, dict[str, Hindcast]] = {}
        for part in parts:
            for route, own in part.fits.items():
                fits.setdefault(route, {}).update(own)
        return cls(fits)

    def __add__(self, other: "Pool") -> "Pool":
        return Pool.total((self, other))

    def without(self, other: "Pool") -> "Pool":
        """The same without what was added before."""
        gone = {item for own in other.fits.values() for item in own}
        return Pool({route: {k: v for k, v in own.items() if k not in gone} for route, own in self.fits.items()})

    @cached_property
    def _groups(self) -> dict[Key, list[Hindcast]]:
        found: dict[Key, list[Hindcast]] = {}
        every = sorted(((route, fit) for route, own in self.fits.items() for fit in own.values()), key=_by_item)
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
        found: dict[str, dict[str, Hindcast]] = {}
        for route, own in self.fits.items():
            together = self.dependence(route)
            assert together is not None
            found[route] = {item: fit.totals(together, first) for item, fit in own.items()}
        return Pool(found)


def _by_item(pair: tuple[str, Hindcast]) -> str:
    return pair[1].item


def _length(cycles: float) -> int:
    return int(cycles >= SHORT) + int(cycles >= MIDDLE)
