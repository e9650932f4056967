"""What intervals held when they were tested."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.calibration.peers import Peers
from veridex.core.calibration.warping import calibrated_transforms

__all__ = ["KINDS", "Held", "held"]

KINDS = ("model", "calibrated")
"""Intervals of the methods' own laws, and of those that evidence has calibrated."""


class Held(NamedTuple):
    """What intervals of a level held: cells, percent of actuals inside, below and above them."""

    level: float
    cells: int
    coverage: float
    below: float
    above: float


def held(fit: Hindcast, kind: str, then: Callable[[int], Peers], levels: Sequence[float]) -> tuple[Held, ...]:
    """What intervals of a kind held at any levels, each claimed origin's made from what was known there."""
    stood = fit.transforms[fit.claimed] if kind == "model" else calibrated_transforms(fit, then)
    known: FloatArray = stood[~np.isnan(stood)]
    found = []
    for level in levels:
        outside = [(known < 0.5 - level / 200.0), (known > 0.5 + level / 200.0)]
        below, above = (100.0 * float(side.mean()) if known.size else np.nan for side in outside)
        found.append(Held(level, int(known.size), 100.0 - below - above, below, above))
    return tuple(found)
