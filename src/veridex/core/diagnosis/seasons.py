"""`seasons`: which seasons a series has, several at once, and how strong each is."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import ClassVar

import numpy as np
import pandas as pd
from scipy.special import chdtrc

from veridex.core.arrays import FloatArray, near_one
from veridex.core.diagnosis.candidates import candidate_seasons
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.notebook import Faced
from veridex.core.numerics.regression.level import fit_level
from veridex.core.numerics.seasons.longer import harmonics, longer_seasons
from veridex.core.numerics.seasons.profile import season_test, shows_season
from veridex.core.periods.seasons import Turns
from veridex.errors import ParameterError

__all__ = ["Season", "Seasons", "seasons"]


MOST = 3
"""Seasons beyond the calendar's at most."""

FEWEST_TURNS = 2.5
"""Turns of a season that nobody knew of beforehand."""

TESTED = 3
"""Harmonics that such a season is tested with."""

CHANCE = 0.01
"""It is named where chance would name one in one series of a hundred, whatever its length."""

LEAST = 0.1
"""Strength below which it is not worth naming."""

NEAR = 0.1
"""Share of a length within which two are one."""


@dataclass(frozen=True, slots=True)
class Season:
    """One season: its length, its strength (0 to 1), the p-value of its test, and where it was seen."""

    season_length: float
    strength: float
    p_value: float
    seen: str


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Seasons(Faced):
    """The seasons of one series: those of the calendar or stated, the shortest first, then others that it shows.

    `reason` says why there are none to look for; empty where there are.
    """

    FACE: ClassVar[tuple[str, ...]] = (
        "reading",
        "table",
    )

    item: str
    found: tuple[Season, ...] = ()
    named: tuple[Season, ...] = field(default=(), repr=False)
    reason: str = ""

    @property
    def lengths(self) -> tuple[float, ...]:
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
            f"{season.season_length:g} periods (strength {season.strength:.2f}, {season.seen})" for season in self.found
        ]
        return f"{self.item}: it repeats itself after {', and after '.join(parts)}."


def seasons(series: History | ItemHistory, stated: float | Sequence[float] | None = None) -> Seasons:
    """Find the seasons of a series.

    Those of the calendar are tested at their known lengths: the first by an F test of its periods
    (`veridex.core.numerics.seasons.profile`), those above it by their harmonics under a level that wanders
    (`veridex.core.numerics.seasons.longer`), for which two years of days suffice. Methods and profiles go by the same.
    Others are looked for at peaks of the periodogram (Fisher, 1929, Proceedings of the Royal Society A 125, 54-59)
    and of the autocorrelation, and named where their harmonics explain more than the best of all lengths would by
    chance; state them in ``seasons=`` of the history to have them used.

    Parameters
    ----------
    series : ItemHistory or History of one item
    stated : float or sequence of float, optional
        Seasons the planner knows of; they are listed even where the series does not show them.

    Raises
    ------
    ParameterError
        If a season is below 2, or several items were passed.
    """
    one = only_item(series)
    wanted = (stated,) if isinstance(stated, (int, float)) else tuple(stated or ())
    if any(season_length < 2 for season_length in wanted):
        raise ParameterError("stated", repr(stated), "a season repeats after two periods or more")
    y = near_one(one.values)
    known = ~np.isnan(y)
    if known.sum() < 12:
        return Seasons(item=one.item, reason=f"too little history: {int(known.sum())} known periods, 12 needed")
    if y[known].min() == y[known].max():
        return Seasons(item=one.item, reason="all values are equal")
    rest, found = _of_calendar(one, y)
    found = [replace(season, seen="named") if _named(season, wanted) else season for season in found]
    for _ in range(MOST):
        best = _best(rest, _candidates(rest, one.season_length, wanted, found))
        if best is None:
            break
        found.append(best[0])
        rest = best[1]
    missed = [length for length in wanted if not any(_named(season, [length]) for season in found)]
    named = tuple(_judged(rest, length, "named")[0] for length in missed if y.size >= length)
    return Seasons(item=one.item, found=tuple(found), named=named)


def _of_calendar(one: ItemHistory, y: FloatArray) -> tuple[FloatArray, list[Season]]:
    """The seasons that the calendar gives the cadence, or that were stated, where shown; and what they leave."""
    where = "stated" if one.stated else "calendar"
    first, turns = one.season_length, one.turns
    above = longer_seasons(y, first, turns.lengths, stated=turns.stated, additive=True)
    rest = y
    for season in above:
        rest = season.taken_out(rest)
    found = [Season(season.length, season.strength, season.p_value, where) for season in above]
    if Turns.stand_for(first, [season.length for season in above]):
        return rest, found
    if (one.stated and first > 1) or shows_season(y, first):
        own, rest = _judged(rest, float(first), where)
        found.insert(0, replace(own, p_value=season_test(y, first)[1]))
    return rest, found


def _named(season: Season, wanted: Sequence[float]) -> bool:
    """Whether it is one of those that the planner names."""
    return any(abs(length - season.season_length) <= NEAR * season.season_length for length in wanted)


def _candidates(rest: FloatArray, first: int, wanted: Sequence[float], found: Sequence[Season]) -> dict[float, str]:
    """Lengths that are worth a test, and where each was seen first; not those found, their parts and multiples."""
    n = rest.size
    seen = dict.fromkeys(map(float, wanted), "named")
    for season_length in candidate_seasons(rest, first):
        seen.setdefault(float(season_length), "autocorrelation")
    known = ~np.isnan(rest)
    filled = np.where(known, rest - rest[known].mean(), 0.0)
    power = np.abs(np.fft.rfft(filled)[1 : n // 2]) ** 2
    if power.size > 2 and power.sum() > 0:
        bound = 1.0 - (0.01 / power.size) ** (1.0 / (power.size - 1))
        for k in np.flatnonzero(power / power.sum() > bound).tolist():
            seen.setdefault(float(round(n / (k + 1))), "periodogram")
    return {
        length: where
        for length, where in seen.items()
        if length >= 2 and n >= FEWEST_TURNS * length and not any(_known(length, season) for season in found)
    }


def _known(length: float, season: Season) -> bool:
    """Whether a length is that of a season found, a multiple of it, or one of its harmonics."""
    ratio = max(length, season.season_length) / min(length, season.season_length)
    return abs(ratio - round(ratio)) <= NEAR


def _best(rest: FloatArray, seen: dict[float, str]) -> tuple[Season, FloatArray] | None:
    """The candidate that gains most beyond what it needs, and what it leaves; None where none does."""
    tried = [_judged(rest, length, where) for length, where in seen.items()]
    # Of as many lengths as there are frequencies the best must not be chance.
    needed = CHANCE / max(rest.size // 2, 1)
    shown = [one for one in tried if one[0].p_value < needed and one[0].strength >= LEAST]
    return min(shown, key=lambda one: (one[0].p_value, -one[0].strength), default=None)


def _judged(y: FloatArray, length: float, where: str) -> tuple[Season, FloatArray]:
    """Strength and test of one season under a level that wanders, and what it leaves."""
    places = np.arange(y.size, dtype=np.float64)
    known = ~np.isnan(y)
    line = (places / y.size - 0.5)[:, None]
    count = max(1, min(TESTED, int(length // 2)))
    columns = harmonics(places, length, count)
    columns = columns[:, np.ptp(columns, axis=0) > 1e-9]
    plain, seasonal = fit_level(y, line), fit_level(y, np.hstack((line, columns)))
    own = columns @ seasonal.effects[1:]
    rest = y - own
    gain = 2.0 * (seasonal.log_likelihood - plain.log_likelihood)
    swing = float(np.var(own[known]))
    left = float(np.var(rest[known] - line[known, 0] * seasonal.effects[0]))
    strength = swing / (swing + left) if swing + left > 0.0 else 0.0
    return Season(float(length), strength, float(chdtrc(columns.shape[1], max(gain, 0.0))), where), rest
