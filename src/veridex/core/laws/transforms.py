"""Randomised probability integral transforms: where an actual stands in the law that was forecast for it."""

import zlib

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.laws.laws import Laws

__all__ = ["drawn_shares", "placed", "transforms", "weights_of"]


def drawn_shares(item: str, origins: IntArray, horizon: int) -> FloatArray:
    """Uniform numbers (origins, horizon) that split the probability of a value that comes with one.

    The seed is made of the item and the origin alone: all methods share them, so that the transform of a mixture is
    the mean of its members'.
    """
    who = zlib.crc32(item.encode())
    rows = [np.random.default_rng([3, who, int(o) % 2**32]).random(horizon) for o in origins]
    return np.array(rows).reshape(len(rows), horizon)


def transforms(laws: Laws, actuals: FloatArray, shares: FloatArray) -> FloatArray:
    """Randomised probability integral transforms, shape (...); uniform where the laws are right. See `placed`."""
    return placed(laws, actuals, shares)[0]


def placed(laws: Laws, actuals: FloatArray, shares: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Randomised probability integral transforms, shape (...), and the probabilities of the values themselves.

    Parameters
    ----------
    laws : Laws
        Of shape (...).
    actuals, shares : ndarray, broadcast to (...)

    References
    ----------
    .. [1] Czado, Gneiting and Held (2009), Biometrics 65, 1254-1261 (for counts).
    """
    actuals, shares = (np.broadcast_to(one, laws.floor.shape) for one in (actuals, shares))
    up_to = laws.cdf(actuals[..., None])[..., 0]
    weights = weights_of(laws, actuals)
    return np.asarray(up_to - (1.0 - shares) * weights), weights


def weights_of(laws: Laws, actuals: FloatArray) -> FloatArray:
    """The probability that each law (...) has at the value itself; nought where values have none of their own."""
    actuals = np.broadcast_to(actuals, laws.floor.shape)
    at, found = laws.lumps(actuals), np.zeros(laws.floor.shape)
    if at.any():
        own, values = laws.at(at), actuals[at][..., None]
        found[at] = (own.cdf(values) - own.cdf(values, strictly=True))[..., 0]
    return found
