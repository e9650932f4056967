"""What happened to an item: nothing but chance, an outlier, or a shift of its level, and since when.

Bayes' rule over where each of them may have happened, with scores that go together as errors did in the backtest. How
large it was has a normal prior, so that its likelihood is a closed form (Kass and Raftery, 1995, Journal of the
American Statistical Association 90, 773-795).
"""

from typing import NamedTuple

import numpy as np
from scipy.special import logsumexp

from veridex.core.arrays import FloatArray

__all__ = ["AS_EXPECTED", "CHANCE", "EITHER", "OUTLIER", "SHIFT", "Happened", "what_happened"]

AS_EXPECTED, CHANCE, OUTLIER, SHIFT = "as expected", "chance", "outlier", "level shifted"
EITHER = "outlier or shift"

RARE = 0.1
"""How often an item with alerts is taken to have had an outlier, or to have shifted, before its figures are looked at:
with less, outliers go unnamed; with more, chance is called something (docs/verification.md)."""

LARGE = 3.0
"""Standard deviations that outliers and shifts are about large."""


class Happened(NamedTuple):
    """What explains best what came.

    Attributes
    ----------
    what : str
    at : int
        Place of the period where it happened, or began; -1 where nothing did.
    size, error : float
        By how much demand was off, and the standard error of that; NaN where nothing happened.
    sure : float
        Its probability, in percent.
    """

    what: str
    at: int
    size: float
    error: float
    sure: float


def what_happened(scores: FloatArray, together: FloatArray, errors: FloatArray, spreads: FloatArray) -> Happened:
    """The likeliest explanation of scores (n,).

    Parameters
    ----------
    scores : ndarray, shape (n,)
        Where what came stands in its laws, as normal scores.
    together : ndarray, shape (n, n)
        How they go together.
    errors, spreads : ndarray, shape (n,)
        Actuals less forecasts, and standard deviations of the laws, in units of demand: by them its size is told.
    """
    n = scores.size
    inverse = np.linalg.inv(together + 1e-9 * np.eye(n))
    shifts = [np.where(np.arange(n) >= s, spreads[s] / spreads, 0.0) for s in range(n - 1)]  # one alone is an outlier
    ways = np.vstack((np.eye(n), *shifts))
    information = np.einsum("ki,ij,kj->k", ways, inverse, ways)
    fit = ways @ inverse @ scores
    odds = 0.5 * fit**2 / (information + LARGE**-2) - 0.5 * np.log1p(LARGE**2 * information)
    odds += np.log(RARE / np.repeat((n, max(n - 1, 1)), (n, n - 1)))
    each = [np.log(1.0 - 2.0 * RARE), logsumexp(odds[:n]), logsumexp(odds[n:]) if shifts else -np.inf]
    sure = 100.0 * np.exp(np.array(each) - logsumexp(each))
    best = int(np.argmax(sure))
    if best == 0:
        return Happened(CHANCE, -1, np.nan, np.nan, float(sure[0]))
    way = int(np.argmax(odds[:n])) if best == 1 else n + int(np.argmax(odds[n:]))
    at = way if best == 1 else way - n
    size = float(ways[way] @ inverse @ (errors / spreads)) / information[way] * spreads[at]
    error = spreads[at] / np.sqrt(information[way])
    what = SHIFT if best == 2 else EITHER if at == n - 1 else OUTLIER
    return Happened(what, at, float(size), float(error), float(sure[best]))
