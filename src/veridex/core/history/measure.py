"""`Measure`: what demand is: its name and unit, whether it adds up, and what it can be."""

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal, get_args

from veridex.core.laws.support import floor_of
from veridex.errors import ParameterError

__all__ = ["DEMAND", "Adds", "Measure", "measure_of"]

Adds = Literal["sum", "mean", "ratio"]

AVERAGES = re.compile(
    r"(^|[^a-z])(temp|temperature|price|rate|ratio|share|percent|pct|percentage|degrees|average|avg|mean|index|stock|"
    r"inventory|level|utilisation|utilization|occupancy)([^a-z]|$)"
)
"""Words in the name of a column that say that its values do not add up over months or items."""


@dataclass(frozen=True, slots=True)
class Measure:
    """What demand is.

    Attributes
    ----------
    name : str
        What axes and words call it.
    unit : str or None
    adds : {"sum", "mean", "ratio"}
        Whether it adds up over time and items, averages, or is a ratio of two sums.
    floor : float or None
        What it never is below, minus infinity for nothing; None where its values tell.
    whole : bool or None
        Whether it is counted in whole numbers; None where its values tell.
    """

    name: str = "demand"
    unit: str | None = None
    adds: Adds = "sum"
    floor: float | None = None
    whole: bool | None = None

    @property
    def adds_up(self) -> bool:
        """Whether several periods, or several items, have a sum."""
        return self.adds == "sum"

    @classmethod
    def of(cls, said: Mapping[str, Any]) -> "Measure":
        """The measure that a file tells of."""
        return cls(said["name"], said["unit"], said["adds"], floor_of(said["floor"]), said["whole"])

    def spelled(self) -> dict[str, Any]:
        """As files have it."""
        floor = "none" if self.floor == -math.inf else self.floor
        return {"name": self.name, "unit": self.unit, "adds": self.adds, "floor": floor, "whole": self.whole}

    @property
    def label(self) -> str:
        """Name and unit, as axes have them."""
        return f"{self.name} ({self.unit})" if self.unit and self.unit != self.name else self.name


DEMAND = Measure()
"""Quantities that add up, of no stated unit."""


def measure_of(
    name: str,
    unit: str | None,
    adds: str | None,
    floor: float | str | None,
    whole: bool | None,
    *,
    ratio: bool,
    averaged: bool,
) -> tuple[Measure, tuple[str, ...]]:
    """The measure, as stated or as its name and the way it is gathered tell; and a note where that is a guess.

    Parameters
    ----------
    name : str
        The column of demand.
    unit, adds, floor, whole
        As stated.
    ratio : bool
        Whether it divides two sums.
    averaged : bool
        Whether several rows of a period are averaged, or one of them is taken.

    Raises
    ------
    ParameterError
        If how it adds up is neither a sum nor a mean.
    """
    if adds is not None and adds not in get_args(Adds)[:2]:
        raise ParameterError(
            "adds", repr(adds), "it adds up ('sum') or averages ('mean'); a ratio is two columns, a / b"
        )
    found: Adds = "sum"
    notes: tuple[str, ...] = ()
    if ratio:
        found = "ratio"
    elif adds is not None:
        found = "mean" if adds == "mean" else "sum"
    elif averaged or AVERAGES.search(name.lower().replace("_", " ")):
        found = "mean"
        notes = (f"{name} is taken for an average: it does not add up over time and items (adds=sum if it does).",)
    return Measure(name, unit, found, floor_of(floor), whole), notes
