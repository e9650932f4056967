"""Information criteria from a stats row."""

import math

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.compiled import kernel

__all__ = ["CRITERIA", "aicc_of_each", "criteria", "criterion_of", "to_stay"]

CRITERIA = ("aicc", "aic", "bic")
AICC, AIC, BIC = range(3)


def criteria(stats: FloatArray) -> dict[str, float]:
    """AICc, AIC and BIC of a fit; NaN where it has no likelihood or too few values.

    References
    ----------
    .. [1] Akaike (1974), IEEE Transactions on Automatic Control 19, 716-723 (AIC).
    .. [2] Hurvich and Tsai (1989), Biometrika 76, 297-307 (AICc).
    .. [3] Schwarz (1978), Annals of Statistics 6, 461-464 (BIC).
    """
    own = stats.copy()  # kernels have no second version for locked arrays
    return {name: criterion_of(own, j) for j, name in enumerate(CRITERIA)}


@kernel
def criterion_of(stats: FloatArray, criterion: int) -> float:
    """One of the `CRITERIA`, by its place among them."""
    deviance, n, k = -2.0 * stats[0], stats[1], stats[2]
    if criterion == BIC:
        value = deviance + k * math.log(n) if n > 0 else math.nan
    elif criterion == AIC:
        value = deviance + 2.0 * k
    else:
        value = deviance + 2.0 * k + 2.0 * k * (k + 1.0) / (n - k - 1.0) if n > k + 1.0 else math.nan
    return float(value)


@kernel
def aicc_of_each(stats: FloatArray, status: IntArray, found: FloatArray) -> None:
    """AICc of several fits (O, STATS), into `found` (O,); those whose status is above zero are left alone."""
    for o in range(status.size):
        if status[o] <= 0:
            found[o] = criterion_of(stats[o], AICC)


def to_stay(n: int) -> float:
    """What a driver must gain in -2 log-likelihood to stay: 2 log log n, as Hannan and Quinn (1979) have it."""
    return 2.0 * math.log(math.log(max(n, 16)))
