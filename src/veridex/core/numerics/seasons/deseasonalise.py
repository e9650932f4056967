"""Fixed seasons of one or several lengths, taken out before a method without a season looks at a series."""

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.smoothing.starts import bridge_unknown

__all__ = ["fixed_season", "fixed_seasons", "season_at"]

ROUNDS = 3


def _centred_average(filled: FloatArray, lengths: tuple[int, ...]) -> FloatArray:
    """Moving averages over each length in turn, their ends halved where it is even; NaN near the ends."""
    weights = np.ones(1)
    for season_length in lengths:
        own = np.full(2 * (season_length // 2) + 1, 1.0 / season_length)
        if season_length % 2 == 0:
            own[[0, -1]] *= 0.5
        weights = np.convolve(weights, own)
    trend = np.full(filled.size, np.nan)
    half = weights.size // 2
    if filled.size > 2 * half:
        trend[half : filled.size - half] = np.convolve(filled, weights, mode="valid")
    return trend


def _phase_means(rest: FloatArray, season_length: int) -> FloatArray:
    """Mean by phase of what is known; NaN where nothing is."""
    known = ~np.isnan(rest)
    phases = np.arange(rest.size)[known] % season_length
    with np.errstate(invalid="ignore"):
        return np.asarray(
            np.bincount(phases, rest[known], season_length) / np.bincount(phases, minlength=season_length)
        )


def fixed_season(y: FloatArray, season_length: int, *, multiplicative: bool) -> FloatArray:
    """Classical decomposition: the mean, phase by phase, of what a centred average over the season leaves.

    Parameters
    ----------
    y : ndarray, shape (n,)
        First value known, two lengths or more; NaN is bridged for the average and left out of the means.
    season_length : int
    multiplicative : bool
        Ratios with the mean one instead of differences that sum to zero.

    Returns
    -------
    ndarray, shape (season,)
        By phase, counted from the first value.

    References
    ----------
    .. [1] Makridakis, Wheelwright and Hyndman (1998), Forecasting: Methods and Applications, section 3.4.
    """
    filled = np.empty_like(y)
    bridge_unknown(y, filled)
    trend = _centred_average(filled, (season_length,))
    if multiplicative:
        phases = _phase_means(y / trend, season_length)
        return np.asarray(phases / phases.mean())
    phases = _phase_means(y - trend, season_length)
    return np.asarray(phases - phases.mean())


def fixed_seasons(y: FloatArray, lengths: tuple[int, ...]) -> list[FloatArray]:
    """Additive seasons of several lengths, each from what the trend and the others leave, in a few rounds.

    The trend is averaged over each length in turn. NaN where a phase of a season is never seen against it.
    """
    filled = np.empty_like(y)
    bridge_unknown(y, filled)
    rest = y - _centred_average(filled, lengths)
    seasons = [np.zeros(season_length) for season_length in lengths]
    places = np.arange(y.size)
    for _ in range(ROUNDS if len(lengths) > 1 else 1):
        for i, season_length in enumerate(lengths):
            others = sum((season[places % season.size] for j, season in enumerate(seasons) if j != i), np.zeros(y.size))
            phases = _phase_means(rest - others, season_length)
            seasons[i] = phases - phases.mean()
    return seasons


def season_at(seasons: list[FloatArray], places: IntArray) -> FloatArray:
    """The sum of fixed seasons at positions counted from the first value."""
    return np.asarray(sum((season[places % season.size] for season in seasons), np.zeros(places.size)))
