"""`decompose`: trend, season and what remains, classical or by loess, with one season or several."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal, get_args

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.strength import strength
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.numerics.seasons.loess import decompose_by_loess
from veridex.core.numerics.seasons.longer import STATED_TURNS, longer_seasons
from veridex.core.periods.seasons import Turns, season_name
from veridex.errors import ParameterError

__all__ = ["Decomposition", "decompose"]

By = Literal["loess", "classical"]
Form = Literal["additive", "multiplicative"]

SEASON_WIDTH = 21
"""Turns of the season over which it may change. Cleveland et al. (1990), section 3.4, advise an odd number from 7 on;
measured among 7 to 35 on seasons that stay and that wander: docs/verification.md, Constants."""

ROUNDS = 2
"""Turns over several seasons, each taken from what the others leave."""


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Decomposition:
    """The parts of one series.

    Attributes
    ----------
    series : ItemHistory
    by : {"loess", "classical"}
    form : {"additive", "multiplicative"}
        Whether the parts add up or multiply.
    seasons : tuple of float
    trend, seasonal, rest : ndarray, shape (n,)
        `seasonal` holds all seasons together; NaN where there is none (at the ends of a classical trend).
    by_season : ndarray, shape (seasons, n)
    reason : str
        Why it is not available; empty where it is.
    """

    series: ItemHistory
    by: By
    form: Form
    seasons: tuple[float, ...] = ()
    trend: FloatArray = field(repr=False)
    by_season: FloatArray = field(repr=False)
    reason: str = ""

    @property
    def seasonal(self) -> FloatArray:
        """All seasons together, shape (n,)."""
        if self.form == "multiplicative":
            return np.asarray(np.prod(self.by_season, axis=0))
        return np.asarray(np.sum(self.by_season, axis=0))

    @property
    def adjusted(self) -> FloatArray:
        """Demand without its season, shape (n,)."""
        with np.errstate(all="ignore"):
            y = self.series.values
            return y / self.seasonal if self.form == "multiplicative" else y - self.seasonal

    @property
    def rest(self) -> FloatArray:
        """What is left, shape (n,): around zero, or around one where the parts multiply."""
        with np.errstate(all="ignore"):
            return self.adjusted / self.trend if self.form == "multiplicative" else self.adjusted - self.trend

    @property
    def strengths(self) -> dict[str, float]:
        """Strength of the trend and of each season, 0 to 1 (Wang, Smith and Hyndman, 2006).

        Share of the variance of the part and the rest together that is not the rest's; of the logarithms
        where the parts multiply.
        """
        if self.reason:
            return {}
        logs = self.form == "multiplicative"
        with np.errstate(all="ignore"):
            rest = np.log(self.rest) if logs else self.rest
            parts = {"trend": self.trend} | {
                season_name(season_length): part
                for season_length, part in zip(self.seasons, self.by_season, strict=True)
            }
            return {name: strength(np.log(part) if logs else part, rest) for name, part in parts.items()}

    def to_frame(self) -> pd.DataFrame:
        """A row per period: item, period, demand, a column per season, adjusted, trend, rest."""
        names = [season_name(season_length) for season_length in self.seasons]
        return pd.DataFrame(
            {
                "item": self.series.item,
                "period": self.series.periods,
                "demand": self.series.values,
                **dict(zip(names, self.by_season, strict=True)),
                "adjusted": self.adjusted,
                "trend": self.trend,
                "rest": self.rest,
            }
        )


def decompose(
    series: History | ItemHistory,
    by: By = "loess",
    *,
    form: Form = "additive",
    seasons: float | Sequence[float] | None = None,
    robust: bool = True,
) -> Decomposition:
    """Split a series into trend, season and rest.

    Parameters
    ----------
    series : ItemHistory or History of one item
    by : {"loess", "classical"}
        Loess: trend and season change slowly, outliers bend neither. Classical: a centred moving average over the
        season and the mean of each phase; the trend has no ends.
    form : {"additive", "multiplicative"}
        Multiplicative loess works on logarithms; demand must then be above zero.
    seasons : float or sequence of float, optional
        By default the season of the history, and by loess those above it that it shows; several by loess only. Those in
        whole periods, as many as the history has twice, are taken out in turn; the others are sines and cosines.
    robust : bool
        Whether loess goes through its outer loops of robust weights.

    Returns
    -------
    Decomposition
        With a reason instead of parts where the history is shorter than two seasons or the form does not fit it.
        Unknown periods are skipped: they have a trend and a season, but no rest.

    Raises
    ------
    ParameterError
        If an argument is out of range, or several items were passed.

    References
    ----------
    .. [1] Cleveland, Cleveland, McRae and Terpenning (1990), Journal of Official Statistics 6, 3-73.
    .. [2] Macaulay (1931), The Smoothing of Time Series, for the classical ratio to a moving average.
    """
    one = only_item(series)
    for name, value, words in (("by", by, By), ("form", form, Form)):
        if value not in get_args(words):
            raise ParameterError(name, repr(value), f"it is one of {', '.join(map(repr, get_args(words)))}")
    wanted = _lengths(one, seasons, by)
    if by == "classical" and len(wanted) > 1:
        raise ParameterError("seasons", repr(seasons), "the classical way takes out one season; use by='loess'")
    y = np.array(one.values)
    reason = _reason(y, wanted, form)
    if reason:
        nothing = np.full(y.size, np.nan)
        lost = np.full((len(wanted), y.size), np.nan)
        return Decomposition(series=one, by=by, form=form, seasons=wanted, trend=nothing, by_season=lost, reason=reason)
    if by == "classical":
        trend, by_season = _classical(y, int(wanted[0]), form)
    else:
        trend, by_season = _by_loess(np.log(y) if form == "multiplicative" else y, wanted, robust)
        if form == "multiplicative":
            trend, by_season = np.exp(trend), np.exp(by_season)
    return Decomposition(series=one, by=by, form=form, seasons=wanted, trend=trend, by_season=by_season)


def _lengths(series: ItemHistory, seasons: float | Sequence[float] | None, by: By) -> tuple[float, ...]:
    if seasons is None:
        first = series.season_length
        above = [one for one in series.seasons if by == "loess" and not Turns.stand_for(first, (one,))]
        return (float(first), *above)
    given = (seasons,) if isinstance(seasons, (int, float)) else tuple(seasons)
    if any(season_length < 2 for season_length in given) or not given:
        raise ParameterError("seasons", repr(seasons), "a season repeats after two periods or more")
    return tuple(sorted({float(length) for length in given}))


def _reason(y: FloatArray, seasons: tuple[float, ...], form: Form) -> str:
    """Why there are no parts."""
    known = y[~np.isnan(y)]
    if seasons[0] < 2:
        return "the history has no season; state one with seasons="
    if not seasons[0].is_integer():
        return "the first season is no whole number of periods; state one that is"
    if known.size == 0:
        return "no known value"
    needed = math.ceil(max((2.0 if one.is_integer() else STATED_TURNS) * one for one in seasons))
    if min(y.size, known.size) < needed:
        return f"too little history: {known.size} known periods, {needed} needed"
    if not np.isfinite(np.square(known).sum()):
        return "demand is too large to be squared"
    if form == "multiplicative" and known.min() <= 0:
        return "demand is not above zero everywhere, so its parts cannot multiply"
    return ""


def _classical(y: FloatArray, season_length: int, form: Form) -> tuple[FloatArray, FloatArray]:
    """A centred moving average, and the mean of each phase of what it leaves."""
    n, half = y.size, season_length // 2
    weights = np.full(season_length + (season_length % 2 == 0), 1.0 / season_length)
    if season_length % 2 == 0:
        weights[[0, -1]] /= 2.0
    trend = np.full(n, np.nan)
    trend[half : n - half] = np.convolve(y, weights, mode="valid")
    with np.errstate(all="ignore"):
        rest = y / trend if form == "multiplicative" else y - trend
    phases = np.array([_mean(rest[phase::season_length]) for phase in range(season_length)])
    phases = phases / phases.mean() if form == "multiplicative" else phases - phases.mean()
    return trend, np.resize(phases, n)[None, :]


def _mean(values: FloatArray) -> float:
    known = values[~np.isnan(values)]
    return float(known.mean()) if known.size else float("nan")


def _by_loess(y: FloatArray, seasons: tuple[float, ...], robust: bool) -> tuple[FloatArray, FloatArray]:
    """Sines and cosines of seasons in parts of periods, then loess, season by season; the trend is that of the longest.

    Each season is found in what the others leave.
    """
    whole = tuple(int(one) for one in seasons if one.is_integer())
    others = [one for one in seasons if not one.is_integer()]
    above = {one.length: one for one in longer_seasons(y, whole[0], others, stated=True, additive=True)}
    rest = y
    for one in above.values():
        rest = one.taken_out(rest)
    trend, own = _by_whole_seasons(rest, whole, max(seasons), robust)
    places, nothing = np.arange(y.size, dtype=np.float64), np.zeros(y.size)
    parts = iter(own)
    return trend, np.array(
        [next(parts) if one.is_integer() else above[one].at(places) if one in above else nothing for one in seasons]
    )


def _by_whole_seasons(
    y: FloatArray, seasons: tuple[int, ...], longest: float, robust: bool
) -> tuple[FloatArray, FloatArray]:
    n = y.size
    known = (~np.isnan(y)).astype(np.float64)
    places = np.arange(n)
    filled = np.interp(places, places[known > 0], y[known > 0])
    by_season, trend, weights = np.zeros((len(seasons), n)), np.empty(n), np.empty(n)
    inner, outer = (1, 15) if robust else (2, 0)
    for _ in range(ROUNDS if len(seasons) > 1 else 1):
        for i, season_length in enumerate(seasons):
            others = by_season.sum(axis=0) - by_season[i]
            # Section 3: the low pass is one season wide; the trend at least 1.5 / (1 - 1.5 / width of the season).
            stiff = longest if season_length == seasons[-1] else season_length
            trend_width = _odd(1.5 * stiff / (1.0 - 1.5 / SEASON_WIDTH))
            season = np.empty(n)
            decompose_by_loess(
                filled - others,
                season_length,
                SEASON_WIDTH,
                trend_width,
                _odd(season_length),
                inner,
                outer,
                known,
                trend,
                season,
                weights,
            )
            by_season[i] = season
    return trend, by_season


def _odd(width: float) -> int:
    """The smallest odd whole number from a width on, at least three."""
    whole = max(int(np.ceil(width)), 3)
    return whole + (whole % 2 == 0)
