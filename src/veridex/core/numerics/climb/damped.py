"""The one climb of all searches: damped Gauss-Newton steps inside a box, until none is worth taking.

A search asks for a trial, evaluates it in its own way, and hands the value back; what is tried next and when to stop is
decided here. Levenberg and Marquardt's method inside walls (Nocedal and Wright, 2006, Numerical Optimization, 2nd ed.,
section 10.3).
"""

import math
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.climb.bounded_steps import HOPELESS, bounded_step, next_damping
from veridex.core.numerics.compiled import copy_into, kernel

__all__ = ["BETTER", "ENDED", "LOST", "PROMISED", "STEPS", "VALUE", "Climb", "begin", "judge", "propose"]

VALUE, DAMPING, PROMISED = 0, 1, 2
"""Figures of a climb: the value where it stands, the damping, the gain that the last trial promised."""

STEPS, ENDED = 0, 1
"""Marks: steps of all climbs of a search together, and whether the last one ended where nothing is left to gain."""

LOST, WORSE, BETTER = -1, 0, 1
"""What became of a trial: nothing gains any more, another one is worth it, or it was taken."""


class Climb(NamedTuple):
    """Where a climb stands, and what it knows of the ground there.

    Attributes
    ----------
    z, low, high : ndarray, shape (k,)
        The unknowns, between walls.
    gradient : ndarray, shape (k,)
    hessian : ndarray, shape (k, k)
        Of the value at z; the lower triangle.
    step, trial : ndarray, shape (k,)
        The last move, and where it leads.
    figures : ndarray, shape (3,)
    marks : ndarray of int, shape (2,)
    """

    z: FloatArray
    low: FloatArray
    high: FloatArray
    gradient: FloatArray
    hessian: FloatArray
    step: FloatArray
    trial: FloatArray
    figures: FloatArray
    marks: IntArray


@kernel
def begin(z: FloatArray, low: FloatArray, high: FloatArray, marks: IntArray) -> Climb:
    """Stand at `z`, which is moved; value, gradient and Hessian are the caller's to fill."""
    k = z.size
    figures = np.empty(3)
    figures[VALUE], figures[DAMPING], figures[PROMISED] = np.inf, 1e-3, 0.0
    marks[ENDED] = 0
    return Climb(z, low, high, np.empty(k), np.empty((k, k)), np.empty(k), np.empty(k), figures, marks)


@kernel
def propose(climb: Climb, tolerance: float, furthest: float) -> bool:
    """Leave a trial that is worth evaluating in the climb; False where none promises more than the tolerance.

    A move longer than `furthest` times one plus the size of an unknown is shortened: beyond, the model is a guess.
    """
    z, step = climb.z, climb.step
    damping = climb.figures[DAMPING]
    promised = bounded_step(z, climb.low, climb.high, climb.gradient, climb.hessian, damping, step)
    climb.figures[PROMISED] = promised
    if promised < tolerance * (1.0 + damping):
        climb.marks[ENDED] = 1
        return False
    share = 1.0
    if math.isfinite(furthest):
        longest = 0.0
        for j in range(z.size):
            longest = max(longest, abs(step[j]) / (1.0 + abs(z[j])))
        share = min(1.0, furthest / longest) if longest > 0.0 else 1.0
    for j in range(z.size):
        climb.trial[j] = min(max(z[j] + share * step[j], climb.low[j]), climb.high[j])
    return True


@kernel
def judge(climb: Climb, value: float) -> int:
    """Take the trial if its value is lower, and trust the model more or less from now on."""
    figures = climb.figures
    climb.marks[STEPS] += 1
    figures[DAMPING] = next_damping(figures[DAMPING], figures[VALUE] - value, figures[PROMISED])
    if value < figures[VALUE]:
        figures[VALUE] = value
        copy_into(climb.z, climb.trial)
        return BETTER
    if figures[DAMPING] > HOPELESS:
        climb.marks[ENDED] = 1
        return LOST
    return WORSE
