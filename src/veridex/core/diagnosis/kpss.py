"""The KPSS test, with p-values from its limit law."""

import math
from dataclasses import replace
from typing import Literal

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.outcome import Outcome

__all__ = ["kpss", "kpss_p_value"]


# Kwiatkowski et al. (1992), table 1.
_CRITICAL = {"level": (0.739, 0.463, 0.347), "trend": (0.216, 0.146, 0.119)}


def kpss(y: FloatArray, *, lags: int | None = None, deterministic: Literal["level", "trend"] = "level") -> Outcome:
    """Test the null of stationarity around a level or a trend: a *small* p-value speaks for a unit root.

    Parameters
    ----------
    y : ndarray, shape (n,)
        Demand per period, oldest first, no NaN.
    lags : int, optional
        Bartlett window of the long-run variance, in periods; default ``int(4 * (n / 100) ** 0.25)``.
    deterministic : {"level", "trend"}

    Returns
    -------
    Outcome
        The p-value is that of the limit law; critical values are the published table's. Not available, with a
        reason, where y is constant or shorter than the window.

    References
    ----------
    .. [1] Kwiatkowski, Phillips, Schmidt and Shin (1992), Journal of Econometrics 54, 159-178.
    """
    n = y.size
    window = int(4.0 * (n / 100.0) ** 0.25) if lags is None else lags
    outcome = Outcome(test=f"KPSS ({deterministic})", null="stationary", lags=window)
    if n < 4 or window >= n:
        return replace(outcome, reason=f"too little history: {n} periods, {max(4, window + 1)} needed")
    rest = y - y.mean()
    if deterministic == "trend":
        time = np.arange(n) - 0.5 * (n - 1)
        rest = rest - time * (time @ rest) / (time @ time)
    variance = rest @ rest
    if variance <= 1e-20 * float(y @ y):
        return replace(outcome, reason=f"nothing is left around the {deterministic}")
    for lag in range(1, window + 1):
        variance += 2.0 * (1.0 - lag / (window + 1.0)) * float(rest[lag:] @ rest[:-lag])
    statistic = float(np.square(np.cumsum(rest)).sum() / (n * variance))
    return replace(
        outcome,
        statistic=statistic,
        p_value=kpss_p_value(statistic, deterministic),
        critical=_CRITICAL[deterministic],
        n=n,
    )


LEAST = 1e-18
"""What adds less than this part of the whole is left out."""


def kpss_p_value(statistic: float, deterministic: Literal["level", "trend"]) -> float:
    """Probability that the limit law exceeds the statistic.

    The limit is the integral of a squared Brownian bridge (for ``trend`` of a second-level one): a sum of
    independent chi-squares with one degree of freedom, weighted by 1 / theta^2. The theta are the multiples of
    pi for the level; for the trend the multiples of 2 pi and twice the positive roots of tan x = x. Smirnov's
    formula turns their Fredholm determinant into the tail probability, here by Gauss-Chebyshev quadrature
    between each pair of roots.

    References
    ----------
    .. [1] Anderson and Darling (1952), Annals of Mathematical Statistics 23, 193-212 (level, and Smirnov's
       formula).
    .. [2] MacNeill (1978), Annals of Statistics 6, 422-433 (trend).

    Examples
    --------
    >>> round(kpss_p_value(0.463, "level"), 2), round(kpss_p_value(0.146, "trend"), 2)
    (0.05, 0.05)
    """
    if not statistic > _NO_EVIDENCE[deterministic]:
        return 1.0
    total = 0.0
    for low, high, sign in _SPANS[deterministic]:
        if math.exp(-0.5 * low * low * statistic) <= LEAST * total:
            break
        middle, half = 0.5 * (low * low + high * high), 0.5 * (high * high - low * low)
        u = middle + half * _NODES
        with np.errstate(invalid="ignore"):
            determinant = np.abs(_determinant(u, deterministic))
        weight = np.sqrt((high * high - u) * (u - low * low) / determinant)
        total += sign * float((np.exp(-0.5 * u * statistic) / u * weight).mean())
    return min(max(total, 0.0), 1.0)


def _determinant(u: FloatArray, deterministic: str) -> FloatArray:
    """Fredholm determinant of the limit's covariance: zero where u is the square of a theta."""
    if deterministic == "level":
        root = np.sqrt(u)
        level: FloatArray = np.sin(root) / root
        return level
    x = 0.5 * np.sqrt(u)
    trend: FloatArray = np.sin(x) / x * 3.0 * (np.sin(x) - x * np.cos(x)) / x**3
    return trend


def _tan_root(k: int) -> float:
    """The k-th positive root of tan x = x, by Newton's method on sin x - x cos x."""
    x = (k + 0.5) * math.pi - 1.0 / ((k + 0.5) * math.pi)
    for _ in range(20):
        x -= (math.sin(x) - x * math.cos(x)) / (x * math.sin(x))
    return x


_PAIRS = 60
_NODES: FloatArray = np.cos((2.0 * np.arange(64) + 1.0) * math.pi / 128.0)
_THETAS = {
    "level": [k * math.pi for k in range(1, 2 * _PAIRS + 1)],
    "trend": sorted(
        [2.0 * k * math.pi for k in range(1, _PAIRS + 1)] + [2.0 * _tan_root(k) for k in range(1, _PAIRS + 1)]
    ),
}
# Pairs of neighbouring roots between which the determinant is negative; their contributions alternate in sign.
_SPANS = {
    kind: [(thetas[2 * j], thetas[2 * j + 1], 1.0 if j % 2 == 0 else -1.0) for j in range(_PAIRS)]
    for kind, thetas in _THETAS.items()
}
_NO_EVIDENCE = {"level": 0.02, "trend": 0.008}
"""Below this the tail probability is one to ten digits, and the series would need more roots."""
