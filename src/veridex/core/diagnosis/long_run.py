"""Long-run variances: what the variance of a sum tends to, per value."""

import numpy as np

from veridex.core.arrays import FloatArray

__all__ = ["automatic_window", "bartlett_window", "long_run"]


def bartlett_window(n: int) -> int:
    """Lags of the Bartlett window by the usual rule, int(4 (n / 100)^(1/4))."""
    return int(4.0 * (n / 100.0) ** 0.25)


def automatic_window(y: FloatArray, around: str) -> int | None:
    """Lags of the Bartlett window that the autocorrelations around a level or a trend ask for; None for too few values.

    Newey and West (1994), Review of Economic Studies 61, 631-653: int(1.1447 (s1 / s0)^(2/3) n^(1/3)), where s0 and s1
    are sums of the first int(4 (n / 100)^(2/9)) autocovariances, plain and weighted by their lag.
    """
    n = y.size
    if n < 10:
        return None
    rest = y - y.mean()
    if around == "trend":
        time = np.arange(n) - 0.5 * (n - 1)
        rest = rest - time * (time @ rest) / (time @ time)
    first = int(4.0 * (n / 100.0) ** (2.0 / 9.0))
    covariances = np.array([rest[lag:] @ rest[: n - lag] / n for lag in range(first + 1)])
    plain = covariances[0] + 2.0 * covariances[1:].sum()
    weighted = 2.0 * (np.arange(1, first + 1) * covariances[1:]).sum()
    if plain == 0:
        return None
    return min(int(1.1447 * ((weighted / plain) ** 2) ** (1.0 / 3.0) * n ** (1.0 / 3.0)), n - 1)


def long_run(e: FloatArray, window: int) -> FloatArray:
    """Long-run covariance of the columns of `e`, shape (n, k), with Bartlett weights over `window` lags.

    Newey and West (1987), Econometrica 55, 703-708.
    """
    n = e.shape[0]
    total = e.T @ e / n
    for lag in range(1, window + 1):
        cross = e[lag:].T @ e[:-lag] / n
        total += (1.0 - lag / (window + 1.0)) * (cross + cross.T)
    return np.asarray(total)
