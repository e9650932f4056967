"""What is published, and how far it looks ahead."""

from dataclasses import dataclass, field

from veridex.core.calibration.bands import Wanted
from veridex.core.counts import FARTHEST, checked_horizon
from veridex.core.history.drivers import Drivers
from veridex.core.history.item import ItemHistory
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.head import Made
from veridex.errors import ParameterError

__all__ = ["Ahead", "Edition"]


@dataclass(frozen=True, slots=True)
class Ahead:
    """How far a publication looks ahead, and how much history it carries.

    Attributes
    ----------
    horizon : int or str
        Periods, or the last period.
    past : int or "all"

    Raises
    ------
    ParameterError
        If one of them cannot be.
    """

    horizon: int | str
    past: int | str = "all"

    def __post_init__(self) -> None:
        if not isinstance(self.horizon, str):
            object.__setattr__(self, "horizon", checked_horizon(self.horizon))
        if self.past != "all" and (not isinstance(self.past, int) or isinstance(self.past, bool) or self.past < 0):
            raise ParameterError("past", repr(self.past), "it is 'all', or how many periods go with the forecast")

    def steps(self, series: ItemHistory) -> int:
        """Lead times of an item; below one where its history reaches that far already."""
        if isinstance(self.horizon, int):
            return self.horizon
        found = series.cadence.period(self.horizon) - (series.start + len(series) - 1)
        if found > FARTHEST:
            raise ParameterError(
                "horizon", repr(self.horizon), f"that is {found} periods ahead; {FARTHEST} are the most"
            )
        return found

    def periods(self, series: ItemHistory) -> int:
        """How many periods of an item's history are carried."""
        return len(series) if isinstance(self.past, str) else min(self.past, len(series))


@dataclass(frozen=True, slots=True, kw_only=True)
class Edition:
    """What is published, and how.

    Attributes
    ----------
    ahead : Ahead
    wanted : Wanted
    explaining : Explanation
    scenarios : tuple of Drivers
    groups : tuple of str
    made : Made
    """

    ahead: Ahead
    wanted: Wanted
    explaining: Explanation = field(default_factory=Explanation)
    scenarios: tuple[Drivers, ...] = ()
    groups: tuple[str, ...] = ()
    made: Made
