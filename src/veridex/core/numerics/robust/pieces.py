"""Robust pieces: medians, running medians, a scale that outliers cannot bend, local lines."""

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel

__all__ = ["local_lines", "median", "phase_medians", "robust_scale", "running_median"]


TO_SIGMA = 1.482602218505602
"""The median absolute deviation of a normal law times this is its standard deviation."""


@kernel
def select(work: FloatArray, n: int, k: int) -> float:
    """The k-th smallest (from 0) of the first n values, which are put in another order (Hoare, 1961)."""
    low, high = 0, n - 1
    while low < high:
        pivot = work[(low + high) // 2]
        i, j = low, high
        while i <= j:
            while work[i] < pivot:
                i += 1
            while pivot < work[j]:
                j -= 1
            if i <= j:
                work[i], work[j] = work[j], work[i]
                i += 1
                j -= 1
        if k <= j:
            high = j
        elif k >= i:
            low = i
        else:
            break
    return float(work[k])


@kernel
def median(work: FloatArray, n: int) -> float:
    """Median of the first n values, which are put in another order; NaN of none."""
    if n == 0:
        return np.nan
    upper = select(work, n, n // 2)
    if n % 2 == 1:
        return upper
    return 0.5 * (upper + select(work, n, n // 2 - 1))


@kernel
def robust_scale(r: FloatArray, weights: FloatArray, work: FloatArray) -> float:
    """Standard deviation by the median absolute residual, over known residuals of positive weight.

    Where most residuals are zero, that of the others; 0 if nearly all (19 in 20) are.
    """
    known, other = 0, 0
    for t in range(r.size):
        if not np.isnan(r[t]) and weights[t] > 0.0:
            work[known] = abs(r[t])
            known += 1
    if known == 0:
        return np.nan
    scale = TO_SIGMA * median(work, known)
    if scale > 0.0:
        return scale
    for i in range(known):
        if work[i] > 0.0:
            work[other] = work[i]
            other += 1
    return TO_SIGMA * median(work, other) if 20 * other >= known and other > 1 else 0.0


@kernel
def running_median(y: FloatArray, half: int, out: FloatArray, work: FloatArray) -> None:
    """Median over `half` periods to either side; at the ends over the nearest full window, known values only."""
    n = y.size
    for t in range(n):
        centre = min(max(t, min(half, n - 1)), max(n - 1 - half, 0))
        count = 0
        for i in range(max(centre - half, 0), min(centre + half + 1, n)):
            if not np.isnan(y[i]):
                work[count] = y[i]
                count += 1
        out[t] = median(work, count)


@kernel
def phase_medians(r: FloatArray, season_length: int, out: FloatArray, work: FloatArray) -> None:
    """Median of each phase of the season, less the mean of these medians; 0 for a phase never known."""
    total = 0.0
    for phase in range(season_length):
        count = 0
        for t in range(phase, r.size, season_length):
            if not np.isnan(r[t]):
                work[count] = r[t]
                count += 1
        out[phase] = median(work, count) if count else 0.0
        total += out[phase]
    for phase in range(season_length):
        out[phase] -= total / season_length


@kernel
def local_lines(y: FloatArray, weights: FloatArray, width: int, out: FloatArray) -> None:
    """Loess of degree one: at each period a line through the nearest `width` periods, tricube weights.

    Periods that are unknown or without weight are left out. Cleveland (1979), Journal of the American
    Statistical Association 74, 829-836.
    """
    n = y.size
    half = min(width, n) // 2
    for t in range(n):
        first = min(max(t - half, 0), max(n - 2 * half - 1, 0))
        last = min(first + 2 * half, n - 1)
        reach = max(t - first, last - t) + 1.0
        s0, s1, s2, b0, b1 = 0.0, 0.0, 0.0, 0.0, 0.0
        for i in range(first, last + 1):
            if np.isnan(y[i]) or weights[i] <= 0.0:
                continue
            x = (i - t) / reach
            nearness = 1.0 - abs(x) ** 3
            w = weights[i] * nearness * nearness * nearness
            s0 += w
            s1 += w * x
            s2 += w * x * x
            b0 += w * y[i]
            b1 += w * x * y[i]
        spread = s0 * s2 - s1 * s1
        if s0 <= 0.0:
            out[t] = np.nan
        elif spread > 1e-10 * s0 * s0:
            out[t] = (s2 * b0 - s1 * b1) / spread
        else:
            out[t] = b0 / s0
