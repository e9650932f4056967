"""Dickey and Fuller's regressions, nested in their lags."""

import math

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel

__all__ = ["adf_lags", "adf_ratio"]

Z90 = 1.6448536269514722


@kernel
def _fill(y: FloatArray, lags: int, skip: int, fixed: int, level_first: bool, a: FloatArray) -> int:
    """Columns of the regression as rows of `a`, the change last; how many columns.

    `fixed` is 0, 1 (a constant) or 2 (and a trend). The last value stands before the lagged changes or after them.
    """
    n = y.size - 1 - skip
    columns = fixed + lags + 2
    level = fixed if level_first else columns - 2
    first = fixed + 1 if level_first else fixed
    for i in range(n):
        t = skip + i
        if fixed > 0:
            a[0, i] = 1.0
        if fixed > 1:
            a[1, i] = i + 1.0
        a[level, i] = y[t]
        for j in range(lags):
            a[first + j, i] = y[t - j] - y[t - j - 1]
        a[columns - 1, i] = y[t + 1] - y[t]
    return columns


@kernel
def _triangle(a: FloatArray, columns: int, n: int) -> None:
    """Householder's QR, columns being rows of `a`: R takes their first entries."""
    for k in range(min(columns, n - 1)):
        # Views from zero on: an index that cannot be negative needs no check, and the loops become vector code.
        v = a[k, k:n]
        norm = 0.0
        for i in range(v.size):
            norm += v[i] * v[i]
        norm = math.sqrt(norm)
        if norm == 0.0:
            continue
        if v[0] > 0.0:
            norm = -norm
        head = v[0] - norm
        v[0] = head
        for j in range(k + 1, columns):
            w = a[j, k:n]
            along = 0.0
            for i in range(v.size):
                along += v[i] * w[i]
            along /= -norm * head
            for i in range(v.size):
                w[i] -= along * v[i]
        v[0] = norm


@kernel
def adf_lags(y: FloatArray, most: int, fixed: int, choose: int) -> int:
    """The number of lagged changes that a criterion prefers; all candidates are fitted to the same values.

    The candidates are nested, so that one triangle holds the residual sums of all of them.

    Parameters
    ----------
    y : ndarray, shape (n,)
    most : int
    fixed : int
        Deterministic columns: 0, 1 or 2.
    choose : int
        0 for Akaike's criterion, 1 for Schwarz's, 2 for the last lag whose t ratio is significant at 10 %.
    """
    n = y.size - 1 - most
    a = np.empty((fixed + most + 2, n))
    columns = _fill(y, most, most, fixed, True, a)
    _triangle(a, columns, n)
    target = a[columns - 1]
    left = 0.0
    for i in range(fixed + 1, columns):
        left += target[i] * target[i]
    best, least, last = 0, np.inf, 0
    for lags in range(most + 1):
        if lags > 0:
            taken = target[fixed + lags] ** 2
            left -= taken
            if taken >= Z90 * Z90 * left / (n - fixed - lags - 1):
                last = lags
        if left > 0.0:
            penalty = 2.0 if choose == 0 else math.log(n)
            criterion = n * math.log(left / n) + penalty * (fixed + lags + 1)
            if criterion < least:
                best, least = lags, criterion
    return last if choose == 2 else best


@kernel
def adf_ratio(y: FloatArray, lags: int, fixed: int) -> float:
    """T ratio of the last value's coefficient; NaN where the series is exactly regular."""
    n = y.size - 1 - lags
    a = np.empty((fixed + lags + 2, n))
    columns = _fill(y, lags, lags, fixed, False, a)
    whole = 0.0
    for i in range(n):
        whole += a[columns - 1, i] ** 2
    scale = 0.0
    for i in range(n):
        scale += a[columns - 2, i] ** 2
    _triangle(a, columns, n)
    target, corner = a[columns - 1], a[columns - 2, columns - 2]
    rest = target[columns - 1] ** 2
    # A perfect fit, or a column that the others make up, leaves rounding only.
    if rest <= 1e-20 * whole or corner * corner <= 1e-20 * scale:
        return np.nan
    ratio = target[columns - 2] / math.sqrt(rest / (n - columns + 1))
    return float(ratio if corner > 0.0 else -ratio)
