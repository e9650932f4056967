"""`seasons`: which seasons a series has, several at once, and how strong each is."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import pandas as pd
from scipy.special import fdtrc

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.candidates import candidate_seasons
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.numerics.robust.pieces import local_lines
from veridex.errors import ParameterError

__all__ = ["Season", "Seasons", "seasons"]


MOST = 3
FEWEST_TURNS = 2.5
LONG = 60
"""Periods from which on a season is described by three harmonics instead of a mean per phase."""

LEAST = 0.1
"""Strength below which a season is not worth naming."""

# Seasons that the calendar gives each cadence, beside its own.
CALENDAR = {"daily": (7, 365), "workday": (5, 260), "hourly": (24, 168), "weekly": (52,)}


@dataclass(frozen=True, slots=True)
class Season:
    """One season: its length, its strength (0 to 1), the p-value of its F test, and where it was seen."""

    season_length: int
    strength: float
    p_value: float
    seen: str


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Seasons:
    """The seasons of one series, in the order in which they explain most for what they cost.

    `reason` says why there are none to look for; empty where there are.
    """

    item: str
    found: tuple[Season, ...] = ()
    named: tuple[Season, ...] = field(default=(), repr=False)
    reason: str = ""

    @property
    def lengths(self) -> tuple[int, ...]:
        """Their lengths."""
        return tuple(season.season_length for season in self.found)

    @property
    def table(self) -> pd.DataFrame:
        """A row per season: season, strength, p_value, seen; last those named that the series does not show."""
        rows = [(s.season_length, s.strength, s.p_value, s.seen) for s in (*self.found, *self.named)]
        return pd.DataFrame(rows, columns=["season_length", "strength", "p_value", "seen"])

    @property
    def reading(self) -> str:
        """The seasons in words."""
        if self.reason:
            return f"{self.item}: no look at seasons: {self.reason}."
        if not self.found:
            return f"{self.item}: no season that repeats itself beyond chance."
        parts = [
            f"{season.season_length} periods (strength {season.strength:.2f}, {season.seen})" for season in self.found
        ]
        return f"{self.item}: it repeats itself after {', and after '.join(parts)}."


def seasons(series: History | ItemHistory, stated: int | Sequence[int] | None = None) -> Seasons:
    """Find the seasons of a series.

    Candidates are peaks of the periodogram (Fisher's bound: 1929, Proceedings of the Royal Society A 125, 54-59), peaks
    of the autocorrelation, the seasons that the calendar gives the cadence, and those the planner names. One after the
    other, the candidate enters that most lowers Schwarz's criterion of what the others left.

    Parameters
    ----------
    series : ItemHistory or History of one item
    stated : int or sequence of int, optional
        Seasons the planner knows of; they are listed even where the series does not show them.

    Raises
    ------
    ParameterError
        If a season is below 2, or several items were passed.
    """
    one = only_item(series)
    wanted = (stated,) if isinstance(stated, int) else tuple(stated or ())
    if any(season_length < 2 for season_length in wanted):
        raise ParameterError("stated", repr(stated), "a season repeats after two periods or more")
    y = np.array(one.values)
    known = ~np.isnan(y)
    if known.sum() < 12:
        return Seasons(item=one.item, reason=f"too little history: {int(known.sum())} known periods, 12 needed")
    if y[known].min() == y[known].max():
        return Seasons(item=one.item, reason="all values are equal")
    rest = _without_trend(y, max((*wanted, one.season_length, *CALENDAR.get(one.cadence.name, ()))))
    seen = _candidates(rest, one, wanted)
    found: list[Season] = []
    left = rest
    while len(found) < MOST and seen:
        best = _best(left, seen)
        if best is None:
            break
        found.append(best[0])
        left = best[1]
        seen = {season_length: where for season_length, where in seen.items() if season_length != best[0].season_length}
    shown = {season.season_length for season in found}
    named = tuple(_judged(left, season_length, "named")[0] for season_length in wanted if season_length not in shown)
    return Seasons(item=one.item, found=tuple(found), named=named)


def _without_trend(y: FloatArray, longest: int) -> FloatArray:
    """Less a loess trend that is too stiff to follow the longest season."""
    n = y.size
    trend = np.empty(n)
    width = min(2 * longest + 1, n - (n % 2 == 0))
    local_lines(y, np.ones(n), max(width, n // 2 | 1), trend)
    return y - trend


def _candidates(rest: FloatArray, one: ItemHistory, wanted: tuple[int, ...]) -> dict[int, str]:
    """Candidate lengths, and where each was seen first."""
    n = rest.size
    seen = dict.fromkeys(wanted, "named")
    for season_length in (one.season_length, *CALENDAR.get(one.cadence.name, ())):
        seen.setdefault(season_length, "calendar")
    for season_length in candidate_seasons(rest, one.season_length):
        seen.setdefault(season_length, "autocorrelation")
    known = ~np.isnan(rest)
    filled = np.where(known, rest - rest[known].mean(), 0.0)
    power = np.abs(np.fft.rfft(filled)[1 : n // 2]) ** 2
    if power.size > 2 and power.sum() > 0:
        bound = 1.0 - (0.01 / power.size) ** (1.0 / (power.size - 1))
        for k in np.flatnonzero(power / power.sum() > bound).tolist():
            seen.setdefault(round(n / (k + 1)), "periodogram")
    return {
        season_length: where
        for season_length, where in seen.items()
        if season_length >= 2 and n >= FEWEST_TURNS * season_length
    }


def _best(left: FloatArray, seen: dict[int, str]) -> tuple[Season, FloatArray] | None:
    """The candidate that most lowers Schwarz's criterion, and what it leaves; None if none does."""
    known = ~np.isnan(left)
    n = int(known.sum())
    plain = n * math.log(float(np.var(left[known])) or 1e-300)
    best: tuple[float, Season, FloatArray] | None = None
    for season_length, where in seen.items():
        season, rest, freedom = _judged(left, season_length, where)
        criterion = n * math.log(max(float(np.mean(rest[known] ** 2)), 1e-300)) + freedom * math.log(n)
        if season.strength >= LEAST and criterion < plain and (best is None or criterion < best[0]):
            best = (criterion, season, rest)
    return None if best is None else (best[1], best[2])


def _judged(left: FloatArray, season_length: int, where: str) -> tuple[Season, FloatArray, int]:
    """Strength and F test of one season, what it leaves, and the coefficients it costs."""
    known = np.flatnonzero(~np.isnan(left))
    if season_length <= LONG:
        columns = np.zeros((left.size, season_length))
        columns[np.arange(left.size), np.arange(left.size) % season_length] = 1.0
    else:
        t = 2.0 * np.pi * np.arange(left.size) / season_length
        columns = np.column_stack([np.ones(left.size), *(f(k * t) for k in (1, 2, 3) for f in (np.cos, np.sin))])
    coefficients, _, rank, _ = np.linalg.lstsq(columns[known], left[known], rcond=None)
    rest = left - columns @ coefficients
    whole, remaining = float(np.var(left[known])), float(np.mean(rest[known] ** 2))
    freedom, free = int(rank) - 1, known.size - int(rank)
    if freedom < 1 or free < 1 or whole <= 0:
        return Season(season_length, 0.0, math.nan, where), left, 1
    statistic = (whole - remaining) / freedom / (remaining / free) if remaining > 0 else math.inf
    p_value = float(fdtrc(freedom, free, statistic)) if math.isfinite(statistic) else 0.0
    # Corrected for what chance alone explains with so many coefficients.
    strength = max(0.0, 1.0 - remaining / free * (known.size - 1) / whole)
    return Season(season_length, strength, p_value, where), rest, freedom
