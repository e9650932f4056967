"""What a series leads one to expect of each period, whatever outliers it holds: level, steps, trend, season."""

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.robust.pieces import (
    TO_SIGMA,
    local_lines,
    median,
    phase_medians,
    robust_scale,
    running_median,
)
from veridex.core.numerics.robust.steps import find_steps

__all__ = ["MOST_STEPS", "local_scale", "robust_parts"]

MOST_STEPS = 4
STEP_RATIO = 4.5
ROUNDS = 4
BISQUARE = 4.685
"""Tuning constant of the bisquare weights: 95 % efficient at the normal law."""


@kernel
def robust_parts(
    y: FloatArray,
    season_length: int,
    width: int,
    apart: int,
    least: float,
    trend: FloatArray,
    season: FloatArray,
    places: IntArray,
    sizes: FloatArray,
    ratios: FloatArray,
) -> int:
    """Split a series into steps, a smooth trend and a repeating season so that outliers bend none of them.

    First medians find a season and a level with sharp edges; spikes against them are taken out and steps are
    looked for. Then trend (loess) and season are fitted in turn with bisquare weights, as in the robust loop
    of Cleveland, Cleveland, McRae and Terpenning (1990), Journal of Official Statistics 6, 3-73; the season
    repeats itself exactly here.

    Parameters
    ----------
    y : ndarray, shape (n,)
        NaN is unknown.
    season_length : int
        1 for no season.
    width : int
        Periods that the trend looks over.
    apart : int
        Periods a step needs to either end.
    least : float
        Variance that residuals have at least: that of their rounding.
    trend, season : ndarray, shape (n,)
        Filled at every period, steps included in the trend.
    places, sizes, ratios : ndarray, shape (MOST_STEPS,)
        Filled with the steps.

    Returns
    -------
    int
        How many steps.
    """
    n = y.size
    work = np.empty(n + 1)
    weights = np.ones(n)
    rest = np.empty(n)
    phases = np.zeros(season_length)
    _start(y, season_length, trend, phases, rest, work)
    steps = find_steps(rest, apart, STEP_RATIO, least, MOST_STEPS, places, sizes, ratios)
    level = np.zeros(n)
    for i in range(steps):
        for t in range(places[i], n):
            level[t] += sizes[i]
    for t in range(n):
        rest[t] = y[t] - level[t] - phases[t % season_length]
    running_median(rest, 3, trend, work)
    for _ in range(ROUNDS):
        for t in range(n):
            rest[t] = y[t] - level[t] - trend[t]
        if season_length > 1:
            _weighted_season(rest, weights, season_length, phases)
        for t in range(n):
            rest[t] = y[t] - level[t] - phases[t % season_length]
        local_lines(rest, weights, width, trend)
        for t in range(n):
            rest[t] -= trend[t]
            weights[t] = 1.0
        scale = robust_scale(rest, weights, work)
        for t in range(n):
            u = rest[t] / (BISQUARE * scale) if scale > 0.0 else (0.0 if rest[t] == 0.0 else 2.0)
            weights[t] = (1.0 - u * u) ** 2 if abs(u) < 1.0 else 0.0
    for t in range(n):
        trend[t] += level[t]
        season[t] = phases[t % season_length]
    return steps


@kernel
def _start(
    y: FloatArray, season_length: int, trend: FloatArray, phases: FloatArray, rest: FloatArray, work: FloatArray
) -> None:
    """Medians only: a season, and in `rest` the series without it and without its spikes."""
    n = y.size
    for turn in range(2 if season_length > 1 else 0):
        for t in range(n):
            rest[t] = y[t] - phases[t % season_length]
        running_median(rest, season_length // 2 if turn == 0 else 3, trend, work)
        for t in range(n):
            rest[t] = y[t] - trend[t]
        phase_medians(rest, season_length, phases, work)
    for t in range(n):
        rest[t] = y[t] - phases[t % season_length]
    running_median(rest, 3, trend, work)
    count = 0
    for t in range(n):
        if not np.isnan(rest[t]):
            work[count] = abs(rest[t] - trend[t])
            count += 1
    scale = TO_SIGMA * median(work, count)
    for t in range(n):
        if abs(rest[t] - trend[t]) > 4.0 * scale:
            rest[t] = trend[t]


@kernel
def _weighted_season(rest: FloatArray, weights: FloatArray, season_length: int, phases: FloatArray) -> None:
    """Weighted mean of each phase, less their mean; a phase without weight keeps what it had."""
    total = 0.0
    for phase in range(season_length):
        above, below = 0.0, 0.0
        for t in range(phase, rest.size, season_length):
            if not np.isnan(rest[t]):
                above += weights[t] * rest[t]
                below += weights[t]
        if below > 0.0:
            phases[phase] = above / below
        total += phases[phase]
    for phase in range(season_length):
        phases[phase] -= total / season_length


@kernel
def local_scale(r: FloatArray, width: int, overall: float, out: FloatArray) -> None:
    """Spread of residuals around each period: loess of their absolute values, outlying ones cut off.

    The mean absolute value of a normal law is its standard deviation times sqrt(2 / pi).
    """
    n = r.size
    size = np.empty(n)
    for t in range(n):
        size[t] = min(abs(r[t]), 3.0 * overall) if not np.isnan(r[t]) else np.nan
    local_lines(size, np.ones(n), width, out)
    for t in range(n):
        out[t] = max(1.2533141373155 * out[t], 0.25 * overall)
