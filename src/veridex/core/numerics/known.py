"""What scores had told at a moment: those that were known, and two halves of them."""

import math

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.compiled import kernel

__all__ = ["FEWEST_TO_HALVE", "TOLD", "told_at"]

FEWEST_TO_HALVE = 4
"""Origins from which on evidence has two halves."""

TOLD = 6
"""Numbers that are told: see `told_at`."""


@kernel
def told_at(
    scores: FloatArray, origins: IntArray, begins: IntArray, ends: IntArray, moments: IntArray, told: FloatArray
) -> None:
    """For each span of rows of scores (rows, H), one per origin, what was known of it at a moment of its own.

    `told`, shape (spans, TOLD): the number of cells, their sum of squares, the number of origins with one, the middle
    one of these, and the mean of what was complete at it and of all from there on. The last three are NaN with fewer
    than four origins, the last two where one of them is empty. A score at step h of an origin is known h periods later.
    """
    for i in range(begins.size):
        moment = moments[i]
        rows, cells, squares = np.empty(ends[i] - begins[i], dtype=np.int64), 0, 0.0
        known = 0
        for o in range(begins[i], ends[i]):
            before = cells
            for h in range(scores.shape[1]):
                if origins[o] + h + 1 <= moment and not math.isnan(scores[o, h]):
                    cells += 1
                    squares += scores[o, h] * scores[o, h]
            if cells > before:
                rows[known] = o
                known += 1
        told[i, 0], told[i, 1], told[i, 2] = cells, squares, known
        told[i, 3:] = np.nan
        if known < FEWEST_TO_HALVE:
            continue
        middle = origins[rows[known // 2]]
        told[i, 3] = middle
        first, later, complete, after = 0.0, 0.0, 0, 0
        for o in range(begins[i], ends[i]):
            for h in range(scores.shape[1]):
                end = origins[o] + h + 1
                if end > moment or math.isnan(scores[o, h]):
                    continue
                if end <= middle:
                    complete += 1
                    first += scores[o, h]
                if origins[o] >= middle:
                    after += 1
                    later += scores[o, h]
        if complete > 0 and after > 0:
            told[i, 4], told[i, 5] = first / complete, later / after
