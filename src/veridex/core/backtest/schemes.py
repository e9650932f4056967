"""Which origins a backtest forecasts from, and how far."""

from dataclasses import dataclass
from typing import Literal, Protocol

from veridex.core.history.item import ItemHistory
from veridex.errors import ParameterError

__all__ = ["Fold", "Holdout", "RollingOrigin", "Scheme"]

FEWEST = 2
"""Periods before the first origin at least: from one value nothing can be learned about errors."""


@dataclass(frozen=True, slots=True)
class Fold:
    """One origin of a backtest.

    Attributes
    ----------
    stop : int
        Periods known at the origin, counted from the start of the history.
    horizon : int
        Periods forecast from it, all of which the history has.
    """

    stop: int
    horizon: int


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
    """

    horizon: int
    origins: int | Literal["all"] = 12
    stride: int = 1
    window: int | Literal["expanding"] = "expanding"

    def __post_init__(self) -> None:
        for name in ("horizon", "origins", "stride", "window"):
            value = getattr(self, name)
            if isinstance(value, str) and value in {"origins": "all", "window": "expanding"}.get(name, ""):
                continue
            least = FEWEST if name == "window" else 1
            if not isinstance(value, int) or value < least:
                raise ParameterError(name, repr(value), f"it is a whole number from {least} on")

    @property
    def training_window(self) -> int | None:
        """Periods before an origin that are shown; None for all."""
        return None if self.window == "expanding" else int(self.window)

    def folds(self, series: ItemHistory) -> tuple[Fold, ...]:
        """The folds of one series, oldest first; none if it is too short."""
        stops = range(len(series) - self.horizon, FEWEST - 1, -self.stride)
        if self.origins != "all":
            stops = stops[: self.origins]
        return tuple(Fold(stop, self.horizon) for stop in reversed(stops))

    def fewest(self) -> int:
        """Periods a history needs for one fold."""
        return FEWEST + self.horizon

    def in_words(self) -> str:
        """The scheme in a sentence."""
        origins = "all feasible origins" if self.origins == "all" else f"up to {self.origins} origins"
        window = "all history before it" if self.window == "expanding" else f"the {self.window} periods before it"
        stride = f" {self.stride} periods apart" if self.stride > 1 else ""
        return f"rolling origin: {origins}{stride}, {self.horizon} ahead, each fitted on {window}"


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
    """

    last: int | None = None
    share: float | None = None
    since: str | None = None

    def __post_init__(self) -> None:
        if sum(value is not None for value in (self.last, self.share, self.since)) != 1:
            raise ParameterError("Holdout", repr(self), "state exactly one of last=, share= and since=")
        if self.last is not None and self.last < 1:
            raise ParameterError("last", repr(self.last), "hold out at least one period")
        if self.share is not None and not 0 < self.share < 1:
            raise ParameterError("share", repr(self.share), "a share lies between 0 and 1")

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
            return f"one holdout of the last {100 * self.share:g} % of each history"
        return f"one holdout of everything since {self.since}"
