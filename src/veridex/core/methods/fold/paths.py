"""Paths of demand from shocks, and the parts that drivers and events make."""

from collections.abc import Callable, Sequence

import numpy as np
from scipy.fft import irfft, next_fast_len, rfft

from veridex.core.arrays import FloatArray
from veridex.core.preparation.regressors import Column

__all__ = ["effect_parts", "linear_paths", "shared_paths"]

LONG = 400
"""Lead times up to which sums are made one by one."""


def shared_paths(members: Sequence[tuple[float, Callable[[FloatArray], FloatArray]]], shocks: FloatArray) -> FloatArray:
    """Paths of a mixture: each member makes its share of them from its share of the shocks."""
    ends = np.rint(np.cumsum([weight for weight, _ in members]) * shocks.shape[0]).astype(int)
    paths, begin = np.full(shocks.shape, np.nan), 0
    for (_, make), end in zip(members, ends, strict=True):
        paths[begin:end] = make(shocks[begin:end])
        begin = end
    return paths


def effect_parts(columns: Sequence[Column], effects: FloatArray, x: FloatArray, n: int) -> dict[str, FloatArray]:
    """What each driver and event adds, shape (n + horizon,): a driver against its mean in the n training periods."""
    parts = {}
    for j, column in enumerate(columns):
        base = x[:n, j].mean() if column.kind == "driver" else 0.0
        parts[column.name] = effects[j] * (x[:, j] - base) + 0.0
    return parts


def linear_paths(points: FloatArray, weights: FloatArray, shocks: FloatArray) -> FloatArray:
    """Paths around `points` whose error at lead time h is the sum of ``weights[j]`` times the shock at h - j.

    Of long horizons these sums are made by Fourier transforms, to 12 digits or more: one by one they would take the
    square of the horizon.
    """
    horizon = shocks.shape[1]
    if horizon > LONG and np.isfinite(weights).all():
        size = next_fast_len(2 * horizon, real=True)
        turned = rfft(shocks, size, axis=1) * rfft(weights[:horizon], size)
        return np.asarray(points + irfft(turned, size, axis=1)[:, :horizon])
    paths = np.tile(points, (shocks.shape[0], 1))
    for j, weight in enumerate(weights):
        if weight != 0.0:
            paths[:, j:] += weight * shocks[:, : shocks.shape[1] - j]
    return paths
