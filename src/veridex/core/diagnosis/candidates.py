"""Candidate season lengths: after how many periods a series repeats itself."""

import numpy as np

from veridex.core.arrays import FloatArray, near_one

__all__ = ["candidate_seasons"]

MOST = 3
LEAST = 0.3
"""Autocorrelation at the lag below which a season is not worth naming."""


def candidate_seasons(rest: FloatArray, natural: int) -> tuple[int, ...]:
    """Lags at which the autocorrelation of a series without trend has its highest peaks.

    A lag counts if it is above both neighbours, above `LEAST` and above twice its standard error; a multiple of a
    stronger candidate does not. At least three seasons must fit into the series.

    Parameters
    ----------
    rest : ndarray, shape (n,)
        Demand less its trend, outliers replaced; NaN is unknown.
    natural : int
        The season that the cadence or the planner names; preferred to its neighbours.
    """
    rest = near_one(rest)
    known = ~np.isnan(rest)
    n = rest.size
    if known.sum() < 12:
        return ()
    centred = np.where(known, rest - np.nanmean(rest), 0.0)
    size = 1 << int(2 * n - 1).bit_length()
    spectrum = np.abs(np.fft.rfft(centred, size)) ** 2
    covariance = np.fft.irfft(spectrum, size)[:n]
    if covariance[0] <= 1e-12 * max(float(np.nanmax(np.abs(rest))) ** 2, 1e-300):
        return ()
    acf = covariance / covariance[0] * n / (n - np.arange(n))
    longest = n // 3
    lags = np.arange(2, longest + 1)
    if lags.size == 0:
        return ()
    peak = (acf[lags] > acf[lags - 1]) & (acf[lags] >= acf[lags + 1])
    peak &= acf[lags] > max(LEAST, 2.0 / np.sqrt(n))
    # Ranked by what is not scaled up for the fewer pairs of a long lag: a season comes before its multiples.
    ranked = sorted(lags[peak].tolist(), key=lambda lag: -covariance[lag])
    found: list[int] = []
    for lag in ranked:
        near = natural if natural > 1 and abs(lag - natural) <= max(1, natural // 20) else lag
        if len(found) < MOST and not any(_is_multiple(near, other) for other in found):
            found.append(near)
    return tuple(found)


def _is_multiple(lag: int, season_length: int) -> bool:
    """Whether a lag is a multiple of a season, or next to one of a long season."""
    beyond = lag % season_length
    return min(beyond, season_length - beyond) <= (1 if season_length >= 6 else 0)
