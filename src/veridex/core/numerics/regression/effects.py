"""What drivers and events do to demand, estimated for a method that cannot take them itself."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.numerics.regression.level import fit_level
from veridex.core.numerics.seasons.longer import harmonics
from veridex.core.numerics.seasons.profile import shows_season

__all__ = ["Effects", "effects_under_level"]

MOST_DUMMIES = 12
FEW_HARMONICS = 4
"""Seasons up to the first length have a column for every period but one, longer ones so many harmonics."""

FREE = 5
"""Values that must be left over at least beyond the columns."""

DEPENDENT = 1e-8
"""Share of a column that must be left when the line and the season have explained it."""


@dataclass(frozen=True, slots=True, eq=False)
class Effects:
    """Effects of columns on demand, or on its logarithm where they are relative.

    `covariance` is theirs; `centre` as in `veridex.core.numerics.regression.level`.
    """

    relative: bool
    effects: FloatArray
    covariance: FloatArray
    centre: FloatArray


def effects_under_level(
    y: FloatArray, x: FloatArray, season_length: int, beside: FloatArray, *, additive: bool
) -> Effects | None:
    """Estimate what columns do to demand, beside a wandering level, a line and a season; None where too few are known.

    Effects multiply where the likelihood of the logarithms is higher (Box and Cox, 1964, Journal of the Royal
    Statistical Society B 26, 211-252) and demand is above zero throughout.

    Parameters
    ----------
    y : ndarray, shape (n,)
        NaN is unknown.
    x : ndarray, shape (n, k)
        A column that the line and the season explain has no effect.
    season_length : int
        1 for none; taken into account where demand shows it.
    beside : ndarray, shape (n, j)
        Further columns without interest, such as harmonics of a longer season.
    additive : bool
        Never look for effects that multiply.
    """
    given = (np.ascontiguousarray(x).tobytes(), np.ascontiguousarray(beside).tobytes())
    return _estimated(y.tobytes(), *given, season_length, additive)


@lru_cache(maxsize=64)
def _estimated(values: bytes, columns: bytes, others: bytes, season_length: int, additive: bool) -> Effects | None:
    """The same for bytes: methods of a fold ask for the same one after the other."""
    y = np.frombuffer(values, dtype=np.float64)
    x = np.frombuffer(columns, dtype=np.float64).reshape(y.size, -1)
    own = np.frombuffer(others, dtype=np.float64).reshape(y.size, -1)
    beside = np.hstack((_line_and_season(y, season_length), own))
    known = ~np.isnan(y)
    used = _telling(x[known], beside[known])
    if not used.any() or known.sum() < used.sum() + beside.shape[1] + FREE:
        return None
    design = np.hstack((x[:, used], beside))
    fit, relative = fit_level(y, design), False
    if not additive and float(y[known].min()) > 0.0:
        logs = fit_level(np.log(y), design)
        relative = logs.log_likelihood - float(np.log(y[known][1:]).sum()) > fit.log_likelihood
        fit = logs if relative else fit
    count, k = int(used.sum()), x.shape[1]
    effects, centre, covariance = np.zeros(k), np.zeros(k), np.zeros((k, k))
    effects[used], centre[used] = fit.effects[:count], fit.centre[:count]
    covariance[np.ix_(used, used)] = fit.covariance[:count, :count]
    return Effects(relative, effects, covariance, centre)


def _line_and_season(y: FloatArray, season_length: int) -> FloatArray:
    """A line, and the season where demand shows it."""
    places = np.arange(y.size, dtype=np.float64)
    line = (places / y.size - 0.5)[:, None]
    if not shows_season(y, season_length):
        return line
    if season_length <= MOST_DUMMIES:
        dummies = (places[:, None] % season_length == np.arange(1, season_length)).astype(np.float64)
        return np.hstack((line, dummies))
    return np.hstack((line, harmonics(places, season_length, FEW_HARMONICS)))


def _telling(x: FloatArray, beside: FloatArray) -> BoolArray:
    """Columns of which something is left when a constant, the line and the season have explained what they can."""
    base = np.hstack((np.ones((x.shape[0], 1)), beside))
    left = x - base @ np.linalg.lstsq(base, x, rcond=None)[0]
    own = np.square(x - x.mean(axis=0)).sum(axis=0)
    return np.asarray(np.square(left).sum(axis=0) > DEPENDENT * np.maximum(own, 1e-300))
