"""From the scores that are known to the published law: one function, for testing and for publishing.

References
----------
.. [1] Czado, Gneiting and Held (2009), Biometrics 65, 1254-1261 (transforms of counts).
.. [2] Romano, Patterson and Candès (2019), Advances in Neural Information Processing Systems 32 (each side by itself).
.. [3] Barber, Candès, Ramdas and Tibshirani (2023), Annals of Statistics 51, 816-845 (evidence not exchangeable).
"""

from typing import Any, NamedTuple

import numpy as np
from scipy.special import ndtr

from veridex.core.arrays import FloatArray
from veridex.core.calibration.crossfit import Crossfit
from veridex.core.calibration.peers import LEAST_SLOPE, Peers, agreed, log_scale
from veridex.core.laws.warp import KNOTS, Warp

__all__ = ["calibrated_transforms", "warps"]

BELIEVED = 0.5
"""How much is believed of what both halves of the others' evidence show, and of what the item's own adds to it."""

OWN_SCALE = 0.1
"""The power that the item's own spread of scores enters by, against that of the others."""

PRIOR_ORIGINS = 24.0
"""Of an item without company the law as it is counts as so many origins against its own spread of scores."""


OVERLAP = 1.03
"""What scores are stretched by: those made with weights from overlapping origins are 2 to 3 % too small."""


def warps(fit: Crossfit | None, peers: Peers, horizon: int) -> tuple[Warp, ...]:
    """Warps of lead times 1 to `horizon`; those beyond the tested ones are warped as the last of these.

    None at all where neither the item nor others have any evidence: the law stays the model's.

    Parameters
    ----------
    fit : Crossfit or None
        The item's own evidence, if there is any.
    peers : Peers
        That of the others.
    """
    if peers.shape is None and (fit is None or np.isnan(fit.transforms).all()):
        return ()
    location, scale = (
        (BELIEVED * peers.location, OVERLAP) if fit is None else _own(Sums.of(fit), fit.origins.size, peers)
    )
    shape = KNOTS[None] if peers.shape is None else peers.shape
    tested = min(shape.shape[0], horizon)
    found = [Warp(_growing(float(location) + float(scale) * row)) for row in shape[:tested]]
    return (*found, *[found[-1]] * (horizon - tested))


class Sums(NamedTuple):
    """Sums over the cells of an item's evidence: scores of each half with their number, squares with theirs."""

    first: Any
    firsts: Any
    later: Any
    laters: Any
    squares: Any
    known: Any

    @classmethod
    def by_origin(cls, fit: Crossfit) -> "Sums":
        """For each origin, shape (O,)."""
        scores = np.nan_to_num(fit.scores)
        none = np.zeros(scores.shape, dtype=bool)
        first, later = (none, none) if fit.halves is None else fit.halves
        known = ~np.isnan(fit.scores)
        parts = ((first * scores), first, (later * scores), later, scores**2, known)
        return cls(*(part.sum(axis=1) for part in parts))

    @classmethod
    def of(cls, fit: Crossfit) -> "Sums":
        """Over all origins."""
        return cls(*(part.sum() for part in cls.by_origin(fit)))

    @classmethod
    def without_each(cls, fit: Crossfit) -> "Sums":
        """For each origin those of all others, shape (O,)."""
        return cls(*(part.sum() - part for part in cls.by_origin(fit)))


@np.errstate(all="ignore")
def _own(sums: Sums, origins: int, peers: Peers) -> tuple[Any, Any]:
    """Where the item's scores lie, and how wide they are against the others'."""
    base = BELIEVED * peers.location
    halves = (sums.firsts > 0) & (sums.laters > 0)
    more = agreed(sums.first / sums.firsts - base, sums.later / sums.laters - base)
    location = base + BELIEVED * np.where(halves, more, 0.0)
    power = OWN_SCALE if peers.shape is not None else origins / (origins + PRIOR_ORIGINS)
    scale = np.exp(power * (log_scale(sums.squares, sums.known) - peers.scale))
    return location, OVERLAP * np.where(sums.known > 0, scale, 1.0)


def _growing(scores: FloatArray) -> FloatArray:
    """Knots that keep a least distance from each other, from the middle outwards."""
    steps = np.maximum(np.diff(scores), LEAST_SLOPE * np.diff(KNOTS))
    middle = KNOTS.size // 2
    ends = np.concatenate(([0.0], np.cumsum(steps)))
    return np.asarray(scores[middle] + ends - ends[middle])


def calibrated_transforms(fit: Crossfit, peers: Peers) -> FloatArray:
    """Transforms (O, H) under the warps that each origin would have got from the item's other origins and the peers."""
    location, scale = _own(Sums.without_each(fit), fit.origins.size - 1, peers)
    scores = (fit.scores - location[:, None]) / scale[:, None]
    if peers.shape is not None:
        columns = [Warp(_growing(row)).held_scores(scores[:, h]) for h, row in enumerate(peers.shape)]
        scores = np.column_stack(columns)
    return np.where(np.isnan(fit.transforms), np.nan, ndtr(scores))
