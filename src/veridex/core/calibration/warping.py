"""From the scores that are known to the published law: one function, for testing and for publishing.

References
----------
.. [1] Czado, Gneiting and Held (2009), Biometrics 65, 1254-1261 (transforms of counts).
.. [2] Romano, Patterson and Candès (2019), Advances in Neural Information Processing Systems 32 (each side by itself).
.. [3] Barber, Candès, Ramdas and Tibshirani (2023), Annals of Statistics 51, 816-845 (evidence not exchangeable).
"""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from scipy.special import ndtr, stdtrit

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.calibration.hindcast import Hindcast, agreed, scores_of
from veridex.core.calibration.peers import Peers, growing
from veridex.core.laws.warp import KNOTS, Warp, held_by_rows
from veridex.core.periods.moments import NOW

__all__ = ["PRIOR_ORIGINS", "calibrated_transforms", "stretch_of_totals", "warps"]

BELIEVED = 0.5
"""How much is believed of what both halves of the others' evidence show, and of what the item's own adds to it."""

OWN_SCALE = 0.1
"""The power that the item's own spread of scores enters by, against that of the others."""

PRIOR_ORIGINS = 24.0
"""Of an item without company the law as it is counts as so many origins against its own spread of scores."""


OVERLAP, YEARS_OVERLAP, YEAR = 1.03, 1.08, 12
"""What scores are stretched by that published bands learn from: weights from overlapping origins make them small, those
of totals the more, the more periods they share; of twelve periods or more by the second (docs/verification.md,
watching and quantiles)."""


def stretch_of_totals(windows: FloatArray, lengths: IntArray) -> FloatArray:
    """What scores of totals (H, KNOTS) are stretched by, of so many periods (H,), whose spread so many windows told.

    A spread that few windows told makes a Student's law of a normal one, with as many degrees of freedom (Student,
    1908, Biometrika 6, 1-25).
    """
    overlap = OVERLAP + (YEARS_OVERLAP - OVERLAP) * (np.minimum(lengths, YEAR) - 1) / (YEAR - 1)
    wider = stdtrit(windows[:, None], ndtr(KNOTS)) / np.where(KNOTS == 0.0, 1.0, KNOTS)
    return np.asarray(overlap[:, None] * np.where(KNOTS == 0.0, 1.0, wider))


def warps(fit: Hindcast | None, peers: Peers, horizon: int, stretch: Any = OVERLAP) -> tuple[Warp, ...]:
    """Warps of lead times 1 to `horizon`; those beyond the tested ones are warped as the last of these.

    None at all where neither the item nor others have any evidence: the law stays the model's.

    Parameters
    ----------
    fit : Hindcast or None
        The item's own evidence, if there is any.
    peers : Peers
        That of the others.
    stretch : float or ndarray, shape (horizon, KNOTS)
        What scores are stretched by.
    """
    if peers.shape is None and (fit is None or np.isnan(fit.transforms).all()):
        return ()
    location, scale = np.array([BELIEVED * peers.location]), np.ones(1)
    if fit is not None:
        location, scale = _own(fit, np.array([NOW]), [peers])
    shape = _shape_of(peers, horizon)
    tested = min(len(shape), horizon)
    wide = np.broadcast_to(np.asarray(stretch), (horizon, KNOTS.size))[:tested]
    found = [Warp(knots) for knots in growing(location + wide * scale * shape[:tested])]
    return (*found, *[found[-1]] * (horizon - tested))


def _shape_of(peers: Peers, horizon: int) -> FloatArray:
    """Scores that held the knots' probabilities at each lead time; the knots themselves without company."""
    return np.tile(KNOTS, (horizon, 1)) if peers.shape is None else peers.shape


def _own(fit: Hindcast, moments: IntArray, peers: Sequence[Peers]) -> tuple[FloatArray, FloatArray]:
    """Where the item's scores lay at moments, and how wide they were against the others'; each (moments,)."""
    told = fit.told(moments)
    location = BELIEVED * np.array([one.location for one in peers])
    own = np.nan_to_num(agreed(told.first - location, told.later - location))
    alone = np.array([one.shape is None for one in peers])
    power = np.where(alone, told.origins / (told.origins + PRIOR_ORIGINS), OWN_SCALE)
    scale = np.exp(power * (told.log_scale - np.array([one.scale for one in peers])))
    return location + BELIEVED * own, np.where(told.cells > 0.0, scale, 1.0)


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
    found, at = np.full_like(stood, np.nan), np.flatnonzero(fit.claimed)
    if not at.size:
        return found
    moments, horizon = fit.origins[at], stood.shape[-1]
    peers = [then(moment) for moment in moments.tolist()]
    location, scale = (one[:, None] for one in _own(fit, moments, peers))
    knots = np.array([np.broadcast_to(one.grown, (horizon, KNOTS.size)) for one in peers])
    found[..., at, :] = ndtr(held_by_rows((scores_of(stood[..., at, :]) - location) / scale, knots))
    return np.where(np.isnan(fit.transforms), np.nan, found)
