"""Information criteria from a stats row."""

import math

from veridex.core.arrays import FloatArray

__all__ = ["CRITERIA", "aicc_of", "criteria", "to_stay"]

CRITERIA = ("aicc", "aic", "bic")


def criteria(stats: FloatArray) -> dict[str, float]:
    """AICc, AIC and BIC of a fit; NaN where it has no likelihood or too few values.

    References
    ----------
    .. [1] Akaike (1974), IEEE Transactions on Automatic Control 19, 716-723 (AIC).
    .. [2] Hurvich and Tsai (1989), Biometrika 76, 297-307 (AICc).
    .. [3] Schwarz (1978), Annals of Statistics 6, 461-464 (BIC).
    """
    log_likelihood, n, k, _ = stats.tolist()
    aic = -2.0 * log_likelihood + 2.0 * k
    return {
        "aicc": aicc_of(stats),
        "aic": aic,
        "bic": -2.0 * log_likelihood + k * math.log(n) if n > 0 else math.nan,
    }


def aicc_of(stats: FloatArray) -> float:
    """AICc alone; see `criteria`."""
    log_likelihood, n, k, _ = stats.tolist()
    return -2.0 * log_likelihood + 2.0 * k + 2.0 * k * (k + 1.0) / (n - k - 1.0) if n > k + 1.0 else math.nan


def to_stay(n: int) -> float:
    """What a driver must gain in -2 log-likelihood to stay: 2 log log n, as Hannan and Quinn (1979) have it."""
    return 2.0 * math.log(math.log(max(n, 16)))
