"""Which methods are entered where the planner names none: by cadence, length, seasons, drivers and growth."""

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import method
from veridex.core.methods.method import Method
from veridex.core.reading.pattern import SELDOM, demand_pattern

__all__ = [
    "FEWEST_IN_FAMILY",
    "SEASONAL",
    "SHORT",
    "Place",
    "default_lineup",
    "entered_by_default",
    "family_of",
    "shortlist",
]

SHORT = tuple(map(method, ("naive", "simple-smoothing", "holt damped=yes", "theta", "drift")))
"""What can be fitted to a few periods; also published, untested, where nothing could be tested."""

SEASONAL = ("group-season", "seasonal-naive", "holt-winters", "harmonic")
"""Families that see a season which was shown hardly more than once."""

YEARS = {"hourly": (24.0, 168.0), "daily": (7.0, 365.25), "workday": (5.0, 260.9), "weekly": (52.18,)}
"""Seasons of the calendar that fixed season lengths miss, by cadence."""

HARMONICS = {24.0: 4, 168.0: 3, 7.0: 3, 5.0: 2, 365.25: 2, 260.9: 2, 52.18: 1}
"""How many sines and cosines of each: few, since a long season was seen once or twice."""

SEEN = 1.5
"""So many times a long season must have been seen."""

GROWTH = 0.1
"""Growth by this share a season or more is growth; and this share of the items must show it."""

FEWEST_NEIGHBOURS = 3
"""Items from which on there is a group to borrow a season from."""


FEWEST_IN_FAMILY = 5
"""Items that most groups of a key column have where it tells families of items."""


@dataclass(frozen=True, slots=True)
class Place:
    """A place in the lineup.

    Attributes
    ----------
    method : Method
    reason : str
        Why it is entered.
    decides : bool
        Whether it is on the shortlist that a default rule decides among; the others are entered for comparison.
    """

    method: Method
    reason: str
    decides: bool = True


def default_lineup(history: History, *, driven: bool = False) -> tuple[Place, ...]:
    """The methods that are entered by default, with the reason of each.

    Parameters
    ----------
    history : History
    driven : bool
        Whether there are drivers or events.
    """
    return tuple(_places(history, driven))


def entered_by_default(history: History, *, driven: bool = False) -> tuple[Method, ...]:
    """The methods alone."""
    return tuple(place.method for place in default_lineup(history, driven=driven))


def shortlist(history: History, *, driven: bool = False) -> tuple[Method, ...]:
    """Those that a default rule decides among for regular demand."""
    return tuple(place.method for place in default_lineup(history, driven=driven) if place.decides)


def _places(history: History, driven: bool) -> Iterator[Place]:
    series, season = list(history), history.season_length
    if season > 1:
        yield Place(method("seasonal-naive"), "the benchmark: the season before once more")
    yield Place(method("naive"), "the benchmark where no season was seen: the last value", season < 2)
    yield Place(method("smoothing"), "the form of smoothing that fits best")
    yield Place(method("arima"), "searched orders")
    yield Place(method("theta"), "a line and a smoothed level, halfway")
    damped = "holt-winters season=additive damped=yes" if season > 1 else "holt damped=yes"
    yield Place(method(damped), "a trend that levels off" + (", and a season" if season > 1 else ""))
    yield Place(method("mean"), "the mean of all: hard to beat where only noise moves")
    if season > 1:
        yield Place(method("holt damped=yes"), "for histories too short for a season", False)
    yield Place(method("simple-smoothing"), "for histories too short for more", False)
    yield Place(method("drift"), "for histories too short for more", False)
    yield Place(method("sba"), "for items with many periods of nothing", False)
    if season > 1:
        yield Place(method("holt-winters season=multiplicative damped=yes"), "a season that grows with demand", False)
        yield Place(method("trend-season"), "the regression that planners know", False)
    if season > 1 and len(series) >= FEWEST_NEIGHBOURS:
        yield Place(method("group-season"), f"{len(series)} items may share a season")
    wanted_seldom = [one.item for one in series if demand_pattern(one.values)[2] in SELDOM]
    if season > 1 and (column := family_of(history, wanted_seldom)) is not None:
        text = f"the season that the {column} shows of items wanted now and then"
        yield Place(method(f"group-season group={column}"), text, False)
    yield from _of_the_calendar(history, series)
    if (grown := _growing(series)) >= max(1.0, GROWTH * len(series)):
        yield Place(method("arima transform=log"), f"{grown} items grow by a tenth a season or more")
    if driven:
        yield Place(method("driver-regression"), "there are drivers or events")


def family_of(history: History, items: Sequence[str]) -> str | None:
    """The first key column by which most groups of some items have five or more; None where there is none."""
    for place, column in enumerate(history.key_columns):
        sizes = Counter(history.keys[item][place] for item in items)
        if sizes and np.median(list(sizes.values())) >= FEWEST_IN_FAMILY:
            return column
    return None


def _of_the_calendar(history: History, series: list[ItemHistory]) -> Iterator[Place]:
    """Harmonics of seasons that are long or no whole number of periods, where they were seen."""
    longest = max(len(one) for one in series)
    seasons = [length for length in YEARS.get(history.cadence.name, ()) if longest >= SEEN * length]
    if not seasons or (len(seasons) == 1 and seasons[0] == history.season_length):
        return
    counts = [HARMONICS[length] for length in seasons]
    said = " and ".join(f"{length:g}" for length in seasons)
    settings: dict[str, Any] = {"seasons": seasons, "harmonics": counts}
    trend = "" if len(seasons) > 1 else " trend=no"
    text = f"harmonic seasons={settings['seasons']} harmonics={counts}{trend}"
    if 2 * sum(bool((np.nan_to_num(one.values, nan=1.0) > 0.0).all()) for one in series) >= len(series):
        text += " transform=log"
    yield Place(method(text), f"seasons of {said} periods, as sines and cosines")


def _growing(series: list[ItemHistory]) -> int:
    """Items without zeros whose last season sold more than the one before by a tenth, and that one than its own."""
    return sum(_grows(one.values, max(one.season_length, 12)) for one in series)


def _grows(values: np.ndarray[Any, np.dtype[np.float64]], season: int) -> bool:
    spans = [values[max(values.size - (k + 1) * season, 0) : values.size - k * season] for k in range(3)]
    if min(span.size for span in spans) < season or not (np.nan_to_num(values, nan=1.0) > 0.0).all():
        return False
    if any(np.isnan(span).all() for span in spans):
        return False
    new, middle, old = (float(np.nanmean(span)) for span in spans)
    return new > (1.0 + GROWTH) * middle and middle > (1.0 + GROWTH) * old
