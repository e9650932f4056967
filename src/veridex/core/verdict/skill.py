"""How good methods are on an item, drawn towards how good they are on the portfolio's other items.

The logarithm of a method's error relative to its rivals' is a noisy figure with a dozen origins. It is shrunk by
N / (N + 24), N origins, towards the mean of the other items that have the same rivals.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from veridex.core.methods.method import Method

__all__ = ["PRIOR_ORIGINS", "centred_logs", "others_means", "shrunk", "weights"]

FloatArray = NDArray[np.float64]

POWER = 8.0
"""Weights are the relative error to minus this power."""

PRIOR_ORIGINS = 24.0
"""The portfolio's other items count as so many origins."""

SMALLEST = 0.005
"""Shares below this are left out."""


def centred_logs(errors: FloatArray) -> FloatArray:
    """Logarithms of errors (..., methods) over their geometric mean; NaN where a method was not tested."""
    logs = np.log(np.maximum(errors, 1e-12))
    known = ~np.isnan(logs)
    total = np.where(known, logs, 0.0).sum(axis=-1, keepdims=True)
    return np.asarray(logs - total / np.maximum(known.sum(axis=-1, keepdims=True), 1))


def others_means(
    logs: Sequence[FloatArray], names: Sequence[str], rivals: Sequence[tuple[Method, ...]]
) -> list[FloatArray]:
    """Per item and method the mean over the other items with the same rivals; zero where there are none.

    Items are summed in the order of their names, so that the bits do not depend on the order they came in.
    """
    sums: dict[tuple[Method, ...], tuple[FloatArray, FloatArray]] = {}
    for i in sorted(range(len(names)), key=lambda i: names[i]):
        total, count = sums.setdefault(rivals[i], (np.zeros(logs[i].size), np.zeros(logs[i].size)))
        known = ~np.isnan(logs[i])
        total += np.where(known, logs[i], 0.0)
        count += known
    found = []
    for own, group in zip(logs, rivals, strict=True):
        total, count = sums[group]
        known = ~np.isnan(own)
        others = count - known
        mean = (total - np.where(known, own, 0.0)) / np.maximum(others, 1)
        found.append(np.where(others > 0, mean, 0.0))
    return found


def shrunk(errors: FloatArray, prior: FloatArray, origins: int) -> FloatArray:
    """Logs of relative errors (..., methods) drawn towards the prior; infinite for a method that was not tested."""
    share = origins / (origins + PRIOR_ORIGINS)
    logs = share * centred_logs(errors) + (1.0 - share) * prior
    return np.where(np.isnan(logs), np.inf, logs)


def weights(logs: FloatArray) -> FloatArray:
    """Shares (..., methods) of shrunk logs; they add up to one."""
    raw = np.exp(-POWER * (logs - logs.min(axis=-1, keepdims=True)))
    found = raw / raw.sum(axis=-1, keepdims=True)
    found = np.where(found < SMALLEST, 0.0, found)
    return np.asarray(found / found.sum(axis=-1, keepdims=True))
