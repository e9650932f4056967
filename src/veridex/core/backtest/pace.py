"""How often a backtest learns anew."""

from dataclasses import dataclass

from veridex.core.counts import whole_number

__all__ = ["Pace"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Pace:
    """How often a backtest searches and estimates anew, in origins.

    Attributes
    ----------
    search_every : int
        Forms, orders and powers are searched at the first origin and at every so many after it; in between they are
        kept, and estimated anew.
    refit_every : int
        Coefficients are estimated at the first origin and at every so many after it; in between they are carried over
        to the newer values.
    """

    search_every: int = 12
    refit_every: int = 1

    def __post_init__(self) -> None:
        for name in ("search_every", "refit_every"):
            object.__setattr__(self, name, whole_number(name, getattr(self, name)))
