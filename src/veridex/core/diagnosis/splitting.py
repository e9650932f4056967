"""The two ways to split a series: a moving average with the mean of each phase, and loess, season by season."""

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.seasons.loess import decompose_by_loess
from veridex.core.numerics.seasons.longer import longer_seasons

__all__ = ["by_loess", "classical"]

SEASON_WIDTH = 21
"""Turns of the season over which it may change. Cleveland et al. (1990), section 3.4, advise an odd number from 7 on;
measured among 7 to 35 on seasons that stay and that wander: docs/verification.md, Constants."""

ROUNDS = 2
"""Turns over several seasons, each taken from what the others leave."""


def classical(y: FloatArray, season_length: int, form: str) -> tuple[FloatArray, FloatArray]:
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


def by_loess(y: FloatArray, seasons: tuple[float, ...], robust: bool) -> tuple[FloatArray, FloatArray]:
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
