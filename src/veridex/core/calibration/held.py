"""What intervals held when they were tested."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np

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
    below, up_to = fit.edges if kind == "model" else calibrated_transforms(fit, then, fit.edges)
    known = ~np.isnan(up_to) & fit.claimed[:, None]
    cells, found = int(known.sum()), []
    for level in levels:
        # Bounds are inside, and so is a whole number that one of them is.
        outside = (up_to[known] < 0.5 - level / 200.0), (below[known] > 0.5 + level / 200.0)
        under, over = (100.0 * float(side.mean()) if cells else np.nan for side in outside)
        found.append(Held(level, cells, 100.0 - under - over, under, over))
    return tuple(found)
