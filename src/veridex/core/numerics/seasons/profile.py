"""The profile of a season: demand against its level, by the period of the season; and whether it shows one at all."""

import math

import numpy as np
from scipy.special import fdtrc

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.compiled import kernel

__all__ = ["CHANCE", "season_profile", "season_test", "season_tests", "shows_season"]

FEWEST = 4
"""Known values below which there is no level to hold against."""

CHANCE = 0.01
"""A season is shown where chance alone would show as much in one history of a hundred."""


def shows_season(y: FloatArray, season_length: int) -> bool:
    """Whether a history shows a season: the one reading of it that every method goes by which may leave it out.

    An F test that values about their level do not differ by the period of the season (Kendall, Stuart and Ord, 1983,
    The Advanced Theory of Statistics, vol. 3, section 49.10), at one percent; two whole seasons are needed.
    """
    return bool(season_test(y, season_length)[1] < CHANCE)


def season_test(y: FloatArray, season_length: int) -> tuple[float, float]:
    """The statistic of that test and its p-value; NaN where there is no test."""
    ratio, chance = season_tests(y, np.array([0, y.size]), season_length)
    return float(ratio[0]), float(chance[0])


def season_tests(values: FloatArray, ends: IntArray, season_length: int) -> tuple[FloatArray, FloatArray]:
    """The same of several spans that stand end to end, each (O,); `ends` (O + 1,) are where they begin and end."""
    degrees, ratio = np.full((2, ends.size - 1), math.nan), np.full(ends.size - 1, math.nan)
    if season_length > 1:
        _ratios(values, ends, season_length, degrees, ratio)
    return ratio, np.asarray(fdtrc(degrees[0], degrees[1], ratio))


@kernel
def _ratios(values: FloatArray, ends: IntArray, season_length: int, degrees: FloatArray, ratio: FloatArray) -> None:
    """The ratio of squares between phases to those within them, and its degrees of freedom; left NaN without a test."""
    for o in range(ratio.size):
        if ends[o + 1] - ends[o] < 2 * season_length:
            continue
        seen, left, between, within = _season_squares(values[ends[o] : ends[o + 1]], season_length)
        if seen < 2 or left < 1.0:
            continue
        degrees[0, o], degrees[1, o] = seen - 1, left
        if within > 0.0:
            ratio[o] = between / within
        else:
            ratio[o] = np.inf if between > 0.0 else 0.0


@kernel
def _season_squares(y: FloatArray, season_length: int) -> tuple[int, float, float, float]:
    """How many phases were seen, degrees of freedom left, mean squares between phases and within them."""
    profile = np.zeros((3, season_length))
    means, counts, squares = profile[0], profile[1], profile[2]
    season_profile(y, 0, False, means, counts, squares)
    seen, left, weight, total, within = 0, 0.0, 0.0, 0.0, 0.0
    for j in range(season_length):
        seen += counts[j] > 0.0
        left += max(counts[j] - 1.0, 0.0)
        weight += counts[j]
        total += counts[j] * means[j]
        within += squares[j]
    if seen < 2 or left < 1.0:
        return seen, left, np.nan, np.nan
    centre, between = total / weight, 0.0
    for j in range(season_length):
        between += counts[j] * (means[j] - centre) ** 2
    return seen, left, between / (seen - 1), within / left


@kernel
def season_profile(
    y: FloatArray, first: int, shares: bool, means: FloatArray, counts: FloatArray, squares: FloatArray
) -> None:
    """Means of demand against its level at each phase, their number, and squares about the means.

    Against the level: in shares of it, or what is left without it. The level is the mean of the season around a
    period, or of the nearest whole season at the ends, along the slope that values a season apart show; of less than a
    season the mean of all. `first` is the phase of the first value.
    """
    season, n = means.size, y.size
    slope = _slope(y, season)
    against = np.full(n, np.nan)
    known, total = 0, 0.0
    for t in range(n):
        if not math.isnan(y[t]):
            known += 1
            total += y[t]
    if known < FEWEST or (shares and not total > 0.0):
        return
    for t in range(n):
        if math.isnan(y[t]):
            continue
        low = max(min(t - season // 2, n - season), 0)
        high = min(low + season, n)
        count, middle, level = 0, 0.0, 0.0
        for k in range(low, high):
            if not math.isnan(y[k]):
                count += 1
                middle += k
                level += y[k]
        level = level / count + slope * (t - middle / count)
        if not shares:
            against[t] = y[t] - level
        elif level > 0.0:
            against[t] = y[t] / level
    for t in range(n):
        if not math.isnan(against[t]):
            phase = (first + t) % season
            counts[phase] += 1.0
            off = against[t] - means[phase]
            means[phase] += off / counts[phase]
            squares[phase] += off * (against[t] - means[phase])


@kernel
def _slope(y: FloatArray, season: int) -> float:
    """Change per period, from values of the last two seasons that lie a season apart; drawn to none where few do."""
    count, total = 0, 0.0
    for t in range(max(season, y.size - 2 * season), y.size):
        if not math.isnan(y[t]) and not math.isnan(y[t - season]):
            count += 1
            total += (y[t] - y[t - season]) / season
    return total / (count + 0.5 * season) if count > 0 else 0.0
