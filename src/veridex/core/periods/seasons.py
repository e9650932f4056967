"""The seasons of a history: as they are stated, as the calendar has them, and as tables call them."""

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from veridex.core.periods.cadence import Cadence
from veridex.errors import ParameterError

__all__ = ["NO_TURNS", "Turns", "first_season", "season_in_words", "season_name", "stated_seasons", "turns_of"]

MOST = 4
"""Seasons of a history at most."""


class Turns(NamedTuple):
    """Seasons above the first.

    Attributes
    ----------
    lengths : tuple of float
        In periods, the shortest first. One that begins with the first season itself, which is no whole number of
        periods, stands for it.
    stated : bool
        Whether they are known to be there; else a span has to show them.
    """

    lengths: tuple[float, ...] = ()
    stated: bool = False

    @staticmethod
    def stand_for(first: int, lengths: Sequence[float]) -> bool:
        """Whether one of these is the first season itself, which is no whole number of periods."""
        return any(round(length) == first for length in lengths)


NO_TURNS = Turns()


def stated_seasons(given: float | Sequence[float] | None) -> tuple[float, ...]:
    """Seasons as they were stated, the shortest first; none where nothing was.

    Raises
    ------
    ParameterError
        If one is below two periods and not 1, no number, there twice, or there are too many.
    """
    try:
        found = () if given is None else tuple(sorted(np.atleast_1d(np.asarray(given, dtype=np.float64)).tolist()))
    except (TypeError, ValueError):
        found = (math.nan,)
    if any(one != 1.0 and not 2.0 <= one < 1e6 for one in found) or len(set(found)) < len(found) or len(found) > MOST:
        problem = f"state up to {MOST} different lengths from 2 periods on, as in (7, 365.25), or 1 for none"
        raise ParameterError("seasons", repr(given), problem)
    return found


def first_season(cadence: Cadence, stated: tuple[float, ...]) -> int:
    """The first season in whole periods: as stated, or the cadence's own."""
    return round(stated[0]) if stated else cadence.season_length


def turns_of(cadence: Cadence, stated: tuple[float, ...]) -> Turns:
    """The seasons above the first: the others that were stated, or the calendar's."""
    if not stated:
        return Turns(cadence.longer)
    return Turns(stated[1:] if stated[0].is_integer() else stated, True)


def season_name(length: float) -> str:
    """The season of so many periods, as tables and parts name it.

    Examples
    --------
    >>> season_name(12), season_name(365.25)
    ('season_12', 'season_365.25')
    """
    return f"season_{length:g}"


def season_in_words(cadence: Cadence, length: float) -> str:
    """A season as people call it: the year, the week, the day, or so many periods.

    Examples
    --------
    >>> season_in_words(Cadence.named("daily"), 365.25), season_in_words(Cadence.named("monthly"), 6)
    ('year', '6 months')
    """
    days = length * cadence.days
    for span, word in ((365.25, "year"), (7.0, "week"), (1.0, "day")):
        if abs(days / span - 1.0) < 0.01:
            return word
    return cadence.length(length)
