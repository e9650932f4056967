"""`Head`: what a publication says of itself as a whole."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from veridex.core.calibration.bands import Wanted
from veridex.core.history.measure import Measure

__all__ = ["Demand", "Grouped", "Head", "Made", "Planned"]


@dataclass(frozen=True, slots=True)
class Made:
    """When something was made, and with what versions: told by whoever has a clock.

    Attributes
    ----------
    at : str
        The instant, ISO text.
    versions : mapping of str to str
    """

    at: str
    versions: Mapping[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Demand:
    """The history that a publication was made from.

    Attributes
    ----------
    fingerprint : str
    cadence : str
    season_length : int
    measure : Measure
    first, last : str
        The first and the last period of all items.
    notes : tuple of str
    tidying : str or None
        The rules, in words.
    """

    fingerprint: str
    cadence: str
    season_length: int
    measure: Measure
    first: str
    last: str
    notes: tuple[str, ...]
    tidying: str | None


class Grouped(NamedTuple):
    """A way to group the items: its column, what errors of a group have in common, items that are in no total."""

    group: str
    shared: float
    left_out: tuple[str, ...]


class Planned(NamedTuple):
    """The plan that was followed, and a fingerprint of all that the publication depends on: plan, data, version."""

    file: str
    key: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Head:
    """What a publication says of itself as a whole.

    Attributes
    ----------
    made : Made
    demand : Demand
    horizon : int
        Lead times, the most that any item has.
    until : str or None
        The last period, if the horizon was said so.
    wanted : Wanted
    backtest : mapping or None
        Rule, conditions, scheme, lineup, standings; None where nothing was tested.
    explained : mapping
        Drivers, events, scenarios; empty where there are none.
    groups : tuple of Grouped
    plan : Planned or None
        Of a run that followed a plan.
    """

    made: Made
    demand: Demand
    horizon: int
    until: str | None
    wanted: Wanted
    backtest: Mapping[str, Any] | None = field(repr=False)
    explained: Mapping[str, Any] = field(default_factory=dict, repr=False)
    groups: tuple[Grouped, ...] = ()
    plan: Planned | None = None
