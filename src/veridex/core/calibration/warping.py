"""From the scores that are known to the published law: one function, for testing and for publishing.

References
----------
.. [1] Czado, Gneiting and Held (2009), Biometrics 65, 1254-1261 (transforms of counts).
.. [2] Romano, Patterson and Candès (2019), Advances in Neural Information Processing Systems 32 (each side by itself).
.. [3] Barber, Candès, Ramdas and Tibshirani (2023), Annals of Statistics 51, 816-845 (evidence not exchangeable).
"""

from collections.abc import Callable

import numpy as np
from scipy.special import ndtr

from veridex.core.arrays import FloatArray
from veridex.core.calibration.hindcast import Hindcast, scores_of
from veridex.core.calibration.peers import Peers, agreed, growing, log_scale
from veridex.core.laws.warp import KNOTS, Warp, held_by_rows
from veridex.core.periods.moments import NOW

__all__ = ["calibrated_transforms", "warps"]

BELIEVED = 0.5
"""How much is believed of what both halves of the others' evidence show, and of what the item's own adds to it."""

OWN_SCALE = 0.1
"""The power that the item's own spread of scores enters by, against that of the others."""

PRIOR_ORIGINS = 24.0
"""Of an item without company the law as it is counts as so many origins against its own spread of scores."""


OVERLAP = 1.03
"""What scores are stretched by that published bands learn from: weights from overlapping origins make them small."""


def warps(fit: Hindcast | None, peers: Peers, horizon: int) -> tuple[Warp, ...]:
    """Warps of lead times 1 to `horizon`; those beyond the tested ones are warped as the last of these.

    None at all where neither the item nor others have any evidence: the law stays the model's.

    Parameters
    ----------
    fit : Hindcast or None
        The item's own evidence, if there is any.
    peers : Peers
        That of the others.
    """
    if peers.shape is None and (fit is None or np.isnan(fit.transforms).all()):
        return ()
    location, scale = (BELIEVED * peers.location, 1.0) if fit is None else _own(fit, NOW, peers)
    shape = _shape_of(peers, horizon)
    tested = min(len(shape), horizon)
    found = [Warp(growing(location + OVERLAP * scale * row)) for row in shape[:tested]]
    return (*found, *[found[-1]] * (horizon - tested))


def _shape_of(peers: Peers, horizon: int) -> FloatArray:
    """Scores that held the knots' probabilities at each lead time; the knots themselves without company."""
    return np.tile(KNOTS, (horizon, 1)) if peers.shape is None else peers.shape


@np.errstate(all="ignore")
def _own(fit: Hindcast, moment: int, peers: Peers) -> tuple[float, float]:
    """Where the item's scores lay at a moment, and how wide they were against the others'."""
    location, halves, known = BELIEVED * peers.location, fit.halves(moment), fit.known_at(moment)
    if halves is not None:
        first, later = (float(fit.scores[half].mean()) - location for half in halves)
        location += BELIEVED * float(agreed(first, later))
    if not known.any():
        return location, 1.0
    origins = int(known.any(axis=1).sum())
    power = OWN_SCALE if peers.shape is not None else origins / (origins + PRIOR_ORIGINS)
    spread = float(log_scale(np.square(fit.scores[known]).sum(), int(known.sum())))
    return location, float(np.exp(power * (spread - peers.scale)))


def calibrated_transforms(fit: Hindcast, then: Callable[[int], Peers], stood: FloatArray) -> FloatArray:
    """Probabilities under the warps that each claimed origin would have got there; NaN at the others.

    Parameters
    ----------
    fit : Hindcast
    then : callable
        What was known of other items at a moment.
    stood : ndarray, shape (..., O, H)
        Probabilities of the laws: its transforms, or their edges.
    """
    found, scores = np.full_like(stood, np.nan), scores_of(stood)
    for o in np.flatnonzero(fit.claimed).tolist():
        moment = int(fit.origins[o])
        peers = then(moment)
        location, scale = _own(fit, moment, peers)
        found[..., o, :] = ndtr(held_by_rows((scores[..., o, :] - location) / scale, peers.grown))
    return np.where(np.isnan(fit.transforms), np.nan, found)
