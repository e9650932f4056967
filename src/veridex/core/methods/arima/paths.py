"""Paths of an ARIMA model by its psi weights, and the zeros of its polynomials."""

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray
from veridex.core.methods.arima.fitting import blocks, held, orders_of, without_effects
from veridex.core.methods.fold.labels import POLYNOMIALS
from veridex.core.methods.fold.paths import linear_paths
from veridex.core.numerics.arima.models import expand

__all__ = ["arima_paths", "arima_roots"]


def arima_paths(row: FloatArray, y: FloatArray, points: FloatArray, shocks: FloatArray) -> FloatArray:
    """Paths after the end of `y` around its forecasts, from standard normal shocks of shape (paths, horizon).

    Where the last values of `y` are unknown, the shocks of their periods are drawn from the same seed as many.
    """
    gap = y.size - 1 - int(np.flatnonzero(~np.isnan(y))[-1])
    weights = np.sqrt(held(row)[-1]) * _psi(row, points.size + gap)
    if gap:
        before = np.random.default_rng(0).standard_normal((shocks.shape[0], gap))
        whole = linear_paths(np.concatenate((np.zeros(gap), points)), weights, np.hstack((before, shocks)))
        return whole[:, gap:]
    return linear_paths(points, weights, shocks)


def _psi(row: FloatArray, count: int) -> FloatArray:
    """Weights of past errors in a value: the expansion of theta(B) / (phi(B) (1 - B)^d (1 - B^m)^D)."""
    o, values = orders_of(row), without_effects(row)
    phi, theta = np.empty(o.p + o.P * o.m), np.empty(o.q + o.Q * o.m)
    expand(values, o, phi, theta)
    denominator = np.concatenate(([1.0], -phi))
    seasonal = np.zeros(o.m + 1)
    seasonal[0], seasonal[-1] = 1.0, -1.0
    for factor in [np.array([1.0, -1.0])] * o.d + [seasonal] * o.D:
        denominator = np.convolve(denominator, factor)
    psi = np.zeros(count)
    for h in range(count):
        reach = min(h, denominator.size - 1)
        start = 1.0 if h == 0 else (theta[h - 1] if h <= theta.size else 0.0)
        psi[h] = start - denominator[1 : reach + 1] @ psi[h - reach : h][::-1]
    return psi


def arima_roots(row: FloatArray) -> dict[str, NDArray[np.complex128]]:
    """Zeros of the four polynomials by name; those of the seasonal ones are powers B^m."""
    signs = dict(zip(POLYNOMIALS, (-1.0, 1.0, -1.0, 1.0), strict=True))
    found = {}
    for (name, sign), block in zip(signs.items(), blocks(orders_of(row), held(row)), strict=True):
        if block.size:
            found[name] = np.roots(np.concatenate((sign * block[::-1], [1.0]))).astype(np.complex128)
    return found
