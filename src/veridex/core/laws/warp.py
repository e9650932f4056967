"""`Warp`: which probability of a law has held a probability that is asked for."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from scipy.special import ndtr, ndtri

from veridex.core.arrays import FloatArray

__all__ = ["FURTHEST", "KNOTS", "STRAIGHT", "Warp", "held_by_rows", "own_by_rows"]

KNOTS = np.asarray(ndtri([0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 0.75, 0.9, 0.95, 0.975, 0.99]), dtype=np.float64)
"""Normal scores at which a warp is told; straight lines join them, and go on beyond them."""

FURTHEST = 5.5
"""Scores further out stand for no event that evidence could tell of."""


def _lines(x: FloatArray, at: FloatArray, to: FloatArray) -> FloatArray:
    """Straight lines through knots, the first and the last going on."""
    inside = np.interp(x, at, to)
    low, high = (to[1] - to[0]) / (at[1] - at[0]), (to[-1] - to[-2]) / (at[-1] - at[-2])
    found = np.where(x < at[0], to[0] + low * (x - at[0]), np.where(x > at[-1], to[-1] + high * (x - at[-1]), inside))
    return np.asarray(np.clip(found, -FURTHEST, FURTHEST))


def held_by_rows(scores: FloatArray, knots: FloatArray) -> FloatArray:
    """What scores (...) have held, each by the warp of its own knots, which broadcast to (..., KNOTS)."""
    piece = np.clip((knots <= scores[..., None]).sum(axis=-1) - 1, 0, KNOTS.size - 2)
    rows = np.broadcast_to(knots, (*scores.shape, KNOTS.size))
    low, high = (np.take_along_axis(rows, one[..., None], axis=-1)[..., 0] for one in (piece, piece + 1))
    found = KNOTS[piece] + (KNOTS[piece + 1] - KNOTS[piece]) / (high - low) * (scores - low)
    return np.asarray(np.clip(found, -FURTHEST, FURTHEST))


def own_by_rows(asked: FloatArray, warps: Sequence["Warp"]) -> FloatArray:
    """Probabilities (warps, K) of each warp's law that held those asked for (K,)."""
    x, rows = np.asarray(ndtri(asked)), np.array([warp.scores for warp in warps])
    piece = np.clip(np.searchsorted(KNOTS, x, side="right") - 1, 0, KNOTS.size - 2)
    share = (x - KNOTS[piece]) / (KNOTS[piece + 1] - KNOTS[piece])
    found = rows[:, piece] + share * (rows[:, piece + 1] - rows[:, piece])
    return np.asarray(ndtr(np.clip(found, -FURTHEST, FURTHEST)))


@dataclass(frozen=True, slots=True, eq=False)
class Warp:
    """A growing map of probabilities, straight between knots on the scale of normal scores.

    Attributes
    ----------
    scores : ndarray, shape (KNOTS,)
        Normal scores of the law's own probabilities that held those of `KNOTS`; growing.
    """

    scores: FloatArray = field(default_factory=lambda: KNOTS)

    def own(self, asked: Any) -> FloatArray:
        """Probabilities of the law that held those asked for."""
        return own_by_rows(np.ravel(asked), (self,)).reshape(np.shape(asked))

    def held(self, own: Any) -> FloatArray:
        """What probabilities of the law have held."""
        found = ndtr(_lines(np.asarray(ndtri(own)), self.scores, KNOTS))
        return np.asarray(np.where(np.isin(own, (0.0, 1.0)), own, found))


STRAIGHT = Warp()
"""The law as it is."""
