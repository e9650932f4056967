"""The tracking signal: whether forecasts have begun to lie on one side, from one error per origin.

Trigg (1964), Operational Research Quarterly 15, 271-274: smoothed errors over smoothed absolute errors, between -1 and
1. Errors of one lead time ahead do not share periods; sums over many lead times of many origins count each period again
and again, and cry wolf.
"""

from functools import lru_cache

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.compiled import kernel

__all__ = ["tracking_limit", "tracking_signals"]

SMOOTHING = 0.1
"""Trigg's constant."""

LEVEL = 0.95
DRAWS = 20_000


@kernel
def _smoothed(errors: FloatArray, groups: IntArray, count: int) -> FloatArray:
    """The signal of each group at its last error; errors stand in order of time, NaN of a group without any."""
    signed, sizes, known = np.zeros(count), np.zeros(count), np.zeros(count)
    for k in range(errors.size):
        known[groups[k]] += 1.0
        sizes[groups[k]] += abs(errors[k])
    for g in range(count):
        sizes[g] = sizes[g] / known[g] if known[g] > 0.0 else 0.0
    for k in range(errors.size):
        g = groups[k]
        signed[g] += SMOOTHING * (errors[k] - signed[g])
        sizes[g] += SMOOTHING * (abs(errors[k]) - sizes[g])
    for g in range(count):
        signed[g] = signed[g] / sizes[g] if sizes[g] > 0.0 else np.nan
    return signed


def tracking_signals(errors: FloatArray, groups: IntArray, count: int) -> FloatArray:
    """Signals of groups, from errors in order of time.

    The smoothed error begins with zero, the smoothed size with the mean size of all.
    """
    return np.asarray(_smoothed(np.ascontiguousarray(errors), np.ascontiguousarray(groups), count))


@lru_cache(maxsize=256)
def tracking_limit(origins: int) -> float:
    """What the size of the signal of independent normal errors stays below in 95 of 100 cases, by simulation."""
    if origins < 1:
        return float("nan")
    drawn = np.random.default_rng([64, origins]).standard_normal((origins, DRAWS))
    groups = np.tile(np.arange(DRAWS), origins)
    return float(np.quantile(np.abs(tracking_signals(drawn.ravel(), groups, DRAWS)), LEVEL))
