"""How an item is decided: which methods compete and at which origins, judged by what publication knows."""

from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import BoolArray
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.lineup import SHORT, shortlist
from veridex.core.backtest.trial import Trial
from veridex.core.methods.catalogue import Method, method, methods
from veridex.core.methods.fold.status import Status

__all__ = ["FEWEST_ORIGINS", "UNTESTED", "Route", "Router", "tested_folds"]

INTERMITTENT = methods(("croston", "sba", "tsb", "simple-smoothing", "mean"))

GROUP_SEASON = method("group-season")

NAIVE = method("naive")

UNTESTED = "untested"
"""The route of items that no origin could test."""

FEWEST_ORIGINS = 3
"""With fewer origins nothing can be weighed."""


@dataclass(frozen=True, slots=True)
class Route:
    """How an item is decided.

    Attributes
    ----------
    name : {"regular", "intermittent", "short", "new", "retired", "untested", "unknown"}
    methods : tuple of Method
        Those that may compete.
    origins : ndarray of bool, shape (O,)
        The origins used.
    because : str
        The reason in words; empty for regular demand.
    listed : tuple of Method
        Those of them that are on the shortlist.
    simple : tuple of Method
        Those whose trimmed mean is published where nothing tells how good methods are.
    """

    name: str
    methods: tuple[Method, ...]
    origins: BoolArray
    because: str
    listed: tuple[Method, ...] = ()
    simple: tuple[Method, ...] = ()


@dataclass(frozen=True, slots=True, eq=False)
class Router:
    """Finds the routes of a trial's items.

    Attributes
    ----------
    trial : Trial
    entered : tuple of Method
        The methods that may compete.
    listed : tuple of Method
        The shortlist of this portfolio.
    fixed : bool
        Whether `entered` is what the planner allowed, which is then not cut down. A lineup of the planner's own, that
        lacks a method of the shortlist, is not cut down either.
    """

    trial: Trial
    entered: tuple[Method, ...]
    listed: tuple[Method, ...]
    fixed: bool

    @classmethod
    def of(cls, trial: Trial, allowed: tuple[Method, ...] | None) -> "Router":
        """The router of a trial, where a planner allows some methods or all."""
        entered = trial.lineup if allowed is None else allowed
        return cls(trial, entered, shortlist(trial.history, driven=trial.driven), allowed is not None)

    def route(self, one: ItemTrial, tested: BoolArray) -> Route:
        """The route of an item.

        Parameters
        ----------
        one : ItemTrial
        tested : ndarray of bool, shape (M, O)
            Whether each method has a forecast for every known cell of an origin, and there are such cells.
        """
        read = self.trial.readings[one.item]
        with_actuals: BoolArray = np.asarray(tested.any(axis=0))
        if read.sold_as == "unknown":
            return Route("unknown", (), with_actuals, read.because)
        if not with_actuals.any():
            said = f"with {read.known} known periods it is too short to be tested"
            few = self.entered if self.fixed else SHORT
            listed = self._cut(self.listed, len(self.listed))
            return Route(UNTESTED, tuple(dict.fromkeys((*few, *listed))), with_actuals, said, listed, few)
        if read.retired and read.last_sale is not None and (not self.fixed or NAIVE in self.entered):
            return Route("retired", (NAIVE,), with_actuals & (one.origins > read.last_sale), read.because)
        if read.sold_as == "intermittent":
            return self._over(read.sold_as, self._cut(self._seldom, 2), tested, read.evidence)
        regular = self._cut(self.listed, len(self.listed))
        if read.sold_as not in ("new", "short"):
            return self._over("regular", regular, tested, "")
        few = tuple(one for one in SHORT if one in self.entered)
        both = regular if self.fixed or len(few) < 2 else (*few, *(one for one in regular if one not in few))
        return self._over(read.sold_as, both, tested, read.evidence, judged=few, listed=regular)

    @property
    def _seldom(self) -> tuple[Method, ...]:
        """Methods for demand that comes now and then, with the season of the family where one is entered."""
        families = tuple(one for one in self.entered if one.name == "group-season" and one.settings.get("group"))
        return (*INTERMITTENT, *(families or (GROUP_SEASON,)))

    def _cut(self, listed: tuple[Method, ...], fewest: int) -> tuple[Method, ...]:
        """Those of a list that were entered; all that were where fewer than `fewest` of it were, or it is fixed."""
        kept = tuple(one for one in listed if one in self.entered)
        return self.entered if self.fixed or len(kept) < fewest else kept

    def _over(
        self,
        name: str,
        competing: tuple[Method, ...],
        tested: BoolArray,
        because: str,
        judged: tuple[Method, ...] = (),
        listed: tuple[Method, ...] = (),
    ) -> Route:
        """A route over the origins that its methods were tested at, or those of them by which origins are judged."""
        places = [self.trial.method_index(one) for one in judged or competing]
        with_actuals: BoolArray = np.asarray(tested.any(axis=0))
        used = _used(tested[places], with_actuals)
        simple = tuple(one for one in SHORT if one in competing) if not self.fixed else competing
        simple = simple if len(simple) > 1 else competing
        return Route(name, competing, used, because, listed or competing, simple)


def _used(tested: BoolArray, with_actuals: BoolArray) -> BoolArray:
    """Origins at which everything that could be fitted at the last one could be fitted already, if there are enough.

    The early origins of a short history know too little for a season, and would rule out every method that sees one.
    """
    last = int(np.flatnonzero(with_actuals)[-1])
    able = tested[tested[:, last]]
    used: BoolArray = np.asarray(with_actuals & np.asarray(able.all(axis=0)))
    return used if used.sum() >= FEWEST_ORIGINS else with_actuals


def tested_folds(one: ItemTrial, known: BoolArray) -> BoolArray:
    """Whether each method has a forecast for all known cells (O, H) of an origin, shape (M, O)."""
    has = (~np.isnan(one.points) | ~known).all(axis=2) & (one.status <= Status.DONE)
    found: BoolArray = has & np.asarray(known.any(axis=1))
    return found
