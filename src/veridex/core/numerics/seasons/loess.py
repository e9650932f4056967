"""Decomposition by loess: inner loops of season and trend, outer loops of robust weights.

Cleveland, Cleveland, McRae and Terpenning (1990), Journal of Official Statistics 6, 3-73, in the notation of
section 2; positions are whole and one apart, so that all weights of a full window are the same at every position.
"""

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import copy_into, kernel
from veridex.core.numerics.robust.pieces import median

__all__ = ["decompose_by_loess", "smooth"]


@kernel
def _at(
    y: FloatArray,
    first: int,
    stride: int,
    n: int,
    weights: FloatArray,
    x: float,
    left: int,
    right: int,
    width: int,
    near: FloatArray,
) -> float:
    """Local line at `x` through positions left to right of a strided series; NaN without weight.

    `near` is scratch for the weights, at least as long as the window.
    """
    reach = max(x - left, right - x)
    if width > n:
        reach += (width - n) // 2
    h9, h1, per = 0.999 * reach, 0.001 * reach, 1.0 / reach
    size = right - left + 1
    total, centre = 0.0, 0.0
    for k in range(size):
        distance = abs(left + k - x)
        w = 0.0
        if distance <= h9:
            w = weights[first + stride * (left + k)]
            if distance > h1:
                u = distance * per
                cube = 1.0 - u * u * u
                w *= cube * cube * cube
        near[k] = w
        total += w
        centre += w * (left + k)
    if total <= 0.0:
        return np.nan
    centre /= total
    spread, level, product = 0.0, 0.0, 0.0
    for k in range(size):
        from_centre = left + k - centre
        weighted = near[k] * y[first + stride * (left + k)]
        spread += near[k] * from_centre * from_centre
        level += weighted
        product += weighted * from_centre
    value = level / total
    if spread > 1e-6 * (n - 1.0) * (n - 1.0) * total:
        value += (x - centre) * product / spread
    return value


@kernel
def smooth(
    y: FloatArray,
    first: int,
    stride: int,
    n: int,
    width: int,
    jump: int,
    weights: FloatArray,
    out: FloatArray,
    to: int,
    beyond: int,
) -> None:
    """Loess of degree one of the strided positions 0 to n - 1, at `beyond` more to either side as well.

    Values are worked out at every `jump`-th position and joined by straight lines between; positions without any
    weight in reach keep their value. Written to ``out[to:to + n + 2 * beyond]``.
    """
    half = (width - 1) // 2
    near = np.empty(min(width, n))
    last_place, last_value = -beyond, 0.0
    place = -beyond
    while True:
        if width >= n:
            left, right = 0, n - 1
        else:
            left = min(max(place - half, 0), n - width)
            right = left + width - 1
        value = _at(y, first, stride, n, weights, float(place), left, right, width, near)
        if np.isnan(value):
            value = y[first + stride * min(max(place, 0), n - 1)]
        out[to + beyond + place] = value
        if place > last_place:
            step = (value - last_value) / (place - last_place)
            for i in range(last_place + 1, place):
                out[to + beyond + i] = last_value + step * (i - last_place)
        last_place, last_value = place, value
        if place == n - 1 + beyond:
            return
        place = min(place + jump, n - 1 + beyond)


@kernel
def _moving_average(y: FloatArray, n: int, length: int, out: FloatArray) -> int:
    """Means of `length` neighbours; one for each full window, their number is returned."""
    total = 0.0
    for i in range(length):
        total += y[i]
    out[0] = total / length
    for i in range(1, n - length + 1):
        total += y[i + length - 1] - y[i - 1]
        out[i] = total / length
    return n - length + 1


@kernel
def decompose_by_loess(
    y: FloatArray,
    season_length: int,
    season_width: int,
    trend_width: int,
    low_width: int,
    inner: int,
    outer: int,
    known: FloatArray,
    trend: FloatArray,
    season: FloatArray,
    weights: FloatArray,
) -> None:
    """Split a series into trend, season and what remains.

    Parameters
    ----------
    y : ndarray, shape (n,)
        At least two seasons; any finite number where unknown.
    season_length : int
    season_width, trend_width, low_width : int
        Odd widths of the three smoothers, in positions of each (seasons for the season).
    inner, outer : int
        Loops: `outer` of robust weights around `inner` of season and trend.
    known : ndarray, shape (n,)
        One where a value is known, zero where not: it is then given no weight.
    trend, season, weights : ndarray, shape (n,)
        Filled.
    """
    n = y.size
    long = n + 2 * season_length
    detrended, seasons, low, averaged, again = np.empty(n), np.empty(long), np.empty(n), np.empty(long), np.empty(long)
    phase_out = np.empty(long // season_length + 3)
    ones = np.ones(n)
    absolute, work = np.empty(n), np.empty(n)
    trend[:] = 0.0
    copy_into(weights, known)
    jumps = (max(1, -(-season_width // 10)), max(1, -(-trend_width // 10)), max(1, -(-low_width // 10)))
    for turn in range(outer + 1):
        for _ in range(inner):
            for t in range(n):
                detrended[t] = y[t] - trend[t]
            for phase in range(season_length):
                size = (n - phase - 1) // season_length + 1
                smooth(detrended, phase, season_length, size, season_width, jumps[0], weights, phase_out, 0, 1)
                for i in range(size + 2):
                    seasons[phase + i * season_length] = phase_out[i]
            size = _moving_average(seasons, long, season_length, averaged)
            size = _moving_average(averaged, size, season_length, again)
            _moving_average(again, size, 3, averaged)
            smooth(averaged, 0, 1, n, low_width, jumps[2], ones, low, 0, 0)
            for t in range(n):
                season[t] = seasons[t + season_length] - low[t]
                work[t] = y[t] - season[t]
            smooth(work, 0, 1, n, trend_width, jumps[1], weights, trend, 0, 0)
        if turn == outer:
            return
        count = 0
        for t in range(n):
            absolute[t] = abs(y[t] - trend[t] - season[t])
            if known[t] > 0.0:
                work[count] = absolute[t]
                count += 1
        reach = 6.0 * median(work, count)
        for t in range(n):
            if absolute[t] <= 0.001 * reach:
                weights[t] = known[t]
            elif absolute[t] <= 0.999 * reach:
                u = absolute[t] / reach
                weights[t] = known[t] * (1.0 - u * u) ** 2
            else:
                weights[t] = 0.0
