"""Fixed seasons of one or several cycles, taken out before a method without a season looks at a series."""

import numpy as np
from numpy.typing import NDArray

from veridex.core.numerics.compiled import FloatArray
from veridex.core.numerics.smoothing_starts import bridge_unknown

__all__ = ["fixed_season", "fixed_seasons", "season_at"]

ROUNDS = 3


def _centred_average(filled: FloatArray, cycles: tuple[int, ...]) -> FloatArray:
    """Moving averages over each cycle in turn, their ends halved where it is even; NaN near the ends."""
    weights = np.ones(1)
    for cycle in cycles:
        own = np.full(2 * (cycle // 2) + 1, 1.0 / cycle)
        if cycle % 2 == 0:
            own[[0, -1]] *= 0.5
        weights = np.convolve(weights, own)
    trend = np.full(filled.size, np.nan)
    half = weights.size // 2
    if filled.size > 2 * half:
        trend[half : filled.size - half] = np.convolve(filled, weights, mode="valid")
    return trend


def _phase_means(rest: FloatArray, cycle: int) -> FloatArray:
    """Mean by phase of what is known; NaN where nothing is."""
    known = ~np.isnan(rest)
    phases = np.arange(rest.size)[known] % cycle
    with np.errstate(invalid="ignore"):
        return np.asarray(np.bincount(phases, rest[known], cycle) / np.bincount(phases, minlength=cycle))


def fixed_season(y: FloatArray, cycle: int, *, multiplicative: bool) -> FloatArray:
    """Classical decomposition: the mean, phase by phase, of what a centred average over the cycle leaves.

    Parameters
    ----------
    y : ndarray, shape (n,)
        First value known, two cycles or more; NaN is bridged for the average and left out of the means.
    cycle : int
    multiplicative : bool
        Ratios with the mean one instead of differences that sum to zero.

    Returns
    -------
    ndarray, shape (cycle,)
        By phase, counted from the first value.

    References
    ----------
    .. [1] Makridakis, Wheelwright and Hyndman (1998), Forecasting: Methods and Applications, section 3.4.
    """
    filled = np.empty_like(y)
    bridge_unknown(y, filled)
    trend = _centred_average(filled, (cycle,))
    if multiplicative:
        phases = _phase_means(y / trend, cycle)
        return np.asarray(phases / phases.mean())
    phases = _phase_means(y - trend, cycle)
    return np.asarray(phases - phases.mean())


def fixed_seasons(y: FloatArray, cycles: tuple[int, ...]) -> list[FloatArray]:
    """Additive seasons of several cycles, each from what the trend and the others leave, in a few rounds.

    The trend is averaged over each cycle in turn. NaN where a phase of a cycle is never seen against it.
    """
    filled = np.empty_like(y)
    bridge_unknown(y, filled)
    rest = y - _centred_average(filled, cycles)
    seasons = [np.zeros(cycle) for cycle in cycles]
    places = np.arange(y.size)
    for _ in range(ROUNDS if len(cycles) > 1 else 1):
        for i, cycle in enumerate(cycles):
            others = sum((season[places % season.size] for j, season in enumerate(seasons) if j != i), np.zeros(y.size))
            phases = _phase_means(rest - others, cycle)
            seasons[i] = phases - phases.mean()
    return seasons


def season_at(seasons: list[FloatArray], places: NDArray[np.int64]) -> FloatArray:
    """The sum of fixed seasons at positions counted from the first value."""
    return np.asarray(sum((season[places % season.size] for season in seasons), np.zeros(places.size)))
