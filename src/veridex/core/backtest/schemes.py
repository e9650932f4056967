"""Which origins a backtest forecasts from, and how far."""

from dataclasses import dataclass
from typing import Literal, Protocol

import numpy as np

from veridex.core.counts import checked_horizon, whole_number
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.periods.cadence import Cadence
from veridex.errors import ParameterError

__all__ = ["FEWEST", "Fold", "Holdout", "RollingOrigin", "Scheme", "default_scheme"]

FEWEST = 2
"""Periods before the first origin at least: from one value nothing can be learned about errors."""


BOUNDARIES = {"week": "weekly", "month": "monthly", "quarter": "quarterly", "year": "yearly"}


@dataclass(frozen=True, slots=True)
class Fold:
    """One origin of a backtest.

    Attributes
    ----------
    stop : int
        Periods known at the origin, counted from the start of the history.
    horizon : int
        Periods forecast from it, all of which the history has.
    gap : int
        Lead times at the beginning that are not tested.
    """

    stop: int
    horizon: int
    gap: int = 0


MOST_ORIGINS = 24
"""Origins by default: two years of months."""


class Scheme(Protocol):
    """What the runner asks of a scheme."""

    def folds(self, series: ItemHistory) -> tuple[Fold, ...]:
        """The folds of one series, oldest first; none if it is too short."""
        ...

    @property
    def training_window(self) -> int | None:
        """Periods before an origin that are shown; None for all."""
        ...

    def fewest(self) -> int:
        """Periods a history needs for one fold, as far as the scheme alone can tell."""
        ...

    def in_words(self) -> str:
        """The scheme in a sentence."""
        ...


@dataclass(frozen=True, slots=True, kw_only=True)
class RollingOrigin:
    """Several origins, each moved on by `stride`; the last is `horizon` periods before the end.

    Attributes
    ----------
    horizon : int
        Lead times forecast from each origin.
    origins : int or "all"
        How many origins; fewer where the history does not reach back.
    stride : int
        Periods from one origin to the next.
    window : "expanding" or int
        Train on everything before the origin, or on so many periods (sliding).
    first : period, optional
        The first origin; the others follow it. By default the last `origins` that the history has.
    gap : int
        Periods between an origin and the first that is tested: what planning needs before it can act. Lead times are
        then `gap` + 1 to `gap` + `horizon`.
    anchor : int
        With more than 1 the first origin lies on one of every so many periods, and stays there while a history grows:
        there are up to `anchor` - 1 more than `origins`. What was tested before then stays as it was, and only new
        origins are run. A multiple of the stride.
    """

    horizon: int
    origins: int | Literal["all"] = MOST_ORIGINS
    stride: int = 1
    window: int | Literal["expanding"] = "expanding"
    first: str | None = None
    gap: int = 0
    anchor: int = 1

    def __post_init__(self) -> None:
        object.__setattr__(self, "horizon", checked_horizon(self.horizon))
        for name in ("origins", "stride", "window", "gap", "anchor"):
            value = getattr(self, name)
            if isinstance(value, str) and value in {"origins": "all", "window": "expanding"}.get(name, ""):
                continue
            object.__setattr__(self, name, whole_number(name, value, {"window": FEWEST, "gap": 0}.get(name, 1)))
        if self.anchor > 1 and (self.anchor % self.stride or self.first is not None or self.origins == "all"):
            problem = "it is a multiple of the stride, and goes with a number of origins, not with first="
            raise ParameterError("anchor", repr(self.anchor), problem)

    @property
    def training_window(self) -> int | None:
        """Periods before an origin that are shown; None for all."""
        return None if self.window == "expanding" else int(self.window)

    def folds(self, series: ItemHistory) -> tuple[Fold, ...]:
        """The folds of one series, oldest first; none if it is too short."""
        reach = self.gap + self.horizon
        most = None if self.origins == "all" else self.origins
        if self.first is not None:
            begin = series.cadence.period(self.first) - series.start + 1
            later = [stop for stop in range(begin, len(series) - reach + 1, self.stride) if stop >= FEWEST]
            return tuple(Fold(stop, reach, self.gap) for stop in later[:most])
        if self.anchor > 1 and most is not None:
            return tuple(Fold(stop, reach, self.gap) for stop in self._anchored(series, len(series) - reach, most))
        stops = range(len(series) - reach, FEWEST - 1, -self.stride)[:most]
        return tuple(Fold(stop, reach, self.gap) for stop in reversed(stops))

    def _anchored(self, series: ItemHistory, last: int, most: int) -> range:
        """Where folds stop whose first origin, by its ordinal, is a multiple of the anchor."""
        begin = last - (most - 1) * self.stride
        ordinal = series.start + begin - 1
        begin -= ordinal % self.anchor
        while begin < FEWEST:  # a short history begins at the first anchored origin that it has, or at any
            begin += self.anchor if begin + self.anchor <= last else FEWEST - begin
        return range(begin, last + 1, self.stride)

    def fewest(self) -> int:
        """Periods a history needs for one fold."""
        return FEWEST + self.gap + self.horizon

    def in_words(self) -> str:
        """The scheme in a sentence."""
        origins = "all feasible origins" if self.origins == "all" else f"up to {self.origins} origins"
        window = "all history before it" if self.window == "expanding" else f"the {self.window} periods before it"
        stride = f" {self.stride} periods apart" if self.stride > 1 else ""
        first = f" from {self.first} on" if self.first is not None else ""
        gap = f" after a gap of {self.gap}" if self.gap else ""
        if self.anchor > 1:
            origins = f"{self.origins} to {self.origins + self.anchor // self.stride - 1} origins"  # type: ignore[operator]
        return f"rolling origin: {origins}{stride}{first}, {self.horizon} ahead{gap}, each fitted on {window}"


def default_scheme(history: History, horizon: int) -> RollingOrigin:
    """The default scheme: origins over two seasons, or two horizons if these are longer, that evidence may be complete.

    With a season of more than a dozen periods they lie apart, so that there are not more than two dozen of them.
    """
    span = max(2 * history.season_length, 2 * horizon)
    stride = max(-(-span // MOST_ORIGINS), 1)
    return RollingOrigin(horizon=horizon, origins=max(-(-span // stride), MOST_ORIGINS // 2), stride=stride)


@dataclass(frozen=True, slots=True, kw_only=True)
class Holdout:
    """One origin: the end of the history is held out. State exactly one of the three.

    Attributes
    ----------
    last : int, optional
        Hold out so many periods.
    share : float, optional
        Hold out this share of each history (rounded to whole periods).
    since : str, optional
        Hold out everything from this period on.
    boundary : {"week", "month", "quarter", "year"}, optional
        Move the beginning of a share to the nearest beginning of such a span of the calendar (the earlier of two).
    """

    last: int | None = None
    share: float | None = None
    since: str | None = None
    boundary: Literal["week", "month", "quarter", "year"] | None = None

    def __post_init__(self) -> None:
        if sum(value is not None for value in (self.last, self.share, self.since)) != 1:
            raise ParameterError("Holdout", repr(self), "state exactly one of last=, share= and since=")
        if self.last is not None:
            whole_number("last", self.last)
        if self.share is not None and not 0 < self.share < 1:
            raise ParameterError("share", repr(self.share), "a share lies between 0 and 1")
        if self.boundary is not None and (self.boundary not in BOUNDARIES or self.share is None):
            raise ParameterError("boundary", repr(self.boundary), f"with share=, one of {', '.join(BOUNDARIES)}")

    @property
    def training_window(self) -> int | None:
        """All that is before the origin."""
        return None

    def folds(self, series: ItemHistory) -> tuple[Fold, ...]:
        """The one fold of a series, or none if it is too short."""
        n = len(series)
        if self.last is not None:
            held = self.last
        elif self.share is not None:
            held = max(1, round(self.share * n))
            if self.boundary is not None:
                held = n - _moved(series, n - held, BOUNDARIES[self.boundary])
        else:
            held = series.start + n - series.cadence.period(self.since)
        return (Fold(n - held, held),) if FEWEST <= n - held < n else ()

    def fewest(self) -> int:
        """Periods a history needs for one fold, as far as the scheme alone can tell."""
        return FEWEST + (self.last or 1)

    def in_words(self) -> str:
        """The scheme in a sentence."""
        if self.last is not None:
            return f"one holdout of the last {self.last} periods"
        if self.share is not None:
            moved = f", from the nearest beginning of a {self.boundary} on" if self.boundary is not None else ""
            return f"one holdout of the last {100 * self.share:g} % of each history{moved}"
        return f"one holdout of everything since {self.since}"


def _moved(series: ItemHistory, at: int, coarser: str) -> int:
    """The position nearest to `at` whose period begins a span of a coarser cadence."""
    cadence, spans = series.cadence, Cadence.named(coarser)
    if cadence.counted:
        raise ParameterError("boundary", repr(coarser), "counted periods know no calendar")
    inside = int(spans.ordinals(cadence.starts(np.array([series.start + at])))[0])
    begins = cadence.ordinals(spans.starts(np.array([inside, inside + 1]))) - series.start
    return int(begins[0]) if at - begins[0] <= begins[1] - at else int(begins[1])
