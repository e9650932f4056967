"""The smoothed signal: whether what came lately lies on one side of its laws.

Each actual stands somewhere in its law, which is a normal score. Errors of lead times go together, as the backtest
showed; what a score adds to those before it is its surprise, and surprises of laws that hold are independent standard
normal numbers. Smoothed exponentially and divided by the standard deviation of that (Roberts, 1959, Technometrics 1,
239-250) they keep limits that hold their level at every period, the first ones too.
"""

from typing import NamedTuple

import numpy as np
from scipy.linalg import cholesky, solve_triangular
from scipy.special import ndtr, ndtri

from veridex.core.arrays import FloatArray
from veridex.core.calibration.dependence import extended
from veridex.core.calibration.hindcast import scores_of
from veridex.core.history.item import ItemHistory
from veridex.core.laws.law import standing
from veridex.core.publication.came import Came, came
from veridex.core.publication.dossier import ItemPublication

__all__ = ["Seen", "Signals", "Stood", "chance_of", "chance_of_either", "signals", "stood"]

SMOOTHING = 0.3
"""Share of the latest surprise: a balance of shifts seen early and late in a publication (docs/verification.md)."""


UNTOLD = 0.2
"""How much of how errors go together is not believed: where few windows told it, one error seems to tell the others."""

NODES, WEIGHTS = np.polynomial.legendre.leggauss(64)
ROOT = np.sqrt(2.0 * np.pi)


class Seen(NamedTuple):
    """An item that was published, its history since, what came of it and where that stands."""

    one: ItemPublication
    series: ItemHistory
    came: Came
    stood: "Stood"

    @classmethod
    def of(cls, one: ItemPublication, series: ItemHistory) -> "Seen":
        """What is seen of an item by now."""
        found = came(one, series)
        return cls(one, series, found, stood(one, found))


class Stood(NamedTuple):
    """Where what came stands in its laws.

    Attributes
    ----------
    chances : ndarray, shape (n,)
        Percent of actuals at least as far out; NaN without a law.
    scores : ndarray, shape (n,)
        Normal scores.
    together : ndarray, shape (n, n), or None
        How the scores go together; None where nothing was tested.
    """

    chances: FloatArray
    scores: FloatArray
    together: FloatArray | None


def stood(one: ItemPublication, found: Came) -> Stood:
    """Where each actual stands in the law of its lead time."""
    if one.outlook is None or one.outlook.laws is None or not found.steps.size:
        nothing = np.full(found.steps.size, np.nan)
        return Stood(nothing, nothing, None)
    at, together = found.steps - 1, None
    shares = standing(one.outlook.laws.at(at), [one.outlook.warps[k] for k in at if one.outlook.warps], found.actuals)
    if one.dependence is not None and at.size:
        known = extended(one.dependence, int(at.max()) + 1)[np.ix_(at, at)]
        together = (1.0 - UNTOLD) * known + UNTOLD * np.eye(at.size)
    return Stood(200.0 * np.minimum(shares, 1.0 - shares), scores_of(shares), together)


class Signals(NamedTuple):
    """The smoothed signal at each period, each of shape (n,); NaN where nothing tells how errors go together.

    Attributes
    ----------
    values : ndarray
        In standard deviations; above zero where forecasts are too low.
    alike : ndarray
        Its correlation with the score of the period itself: one at the first.
    """

    values: FloatArray
    alike: FloatArray


def signals(found: Stood) -> Signals:
    """The signal at each period, from what each score adds to those before it."""
    n = found.scores.size
    if found.together is None or not n:
        return Signals(np.full(n, np.nan), np.full(n, np.nan))
    root = cholesky(found.together + 1e-9 * np.eye(n), lower=True)
    surprises = solve_triangular(root, found.scores, lower=True)
    apart = np.subtract.outer(np.arange(n), np.arange(n))
    weights = np.where(apart >= 0, (1.0 - SMOOTHING) ** np.maximum(apart, 0), 0.0)
    weights /= np.sqrt(np.square(weights).sum(axis=1, keepdims=True))
    return Signals(weights @ surprises, np.clip((weights * root).sum(axis=1), -1.0, 1.0))


def chance_of(signal: FloatArray) -> FloatArray:
    """Percent of signals of unbiased forecasts that are at least so large."""
    return np.asarray(200.0 * ndtr(-np.abs(signal)), dtype=np.float64)


@np.errstate(all="ignore")
def chance_of_either(chance: FloatArray, signal: FloatArray, alike: FloatArray) -> FloatArray:
    """Percent of periods of forecasts that hold where the actual, or the signal, is as far out as the further of both.

    Two standard normal numbers with a known correlation: the mass of a square, by Gauss and Legendre's rule. Where
    there is no signal, the chance of the actual itself.
    """
    far = np.fmax(-ndtri(chance / 200.0), np.abs(signal))
    z, mass = far[:, None] * NODES, far[:, None] * WEIGHTS * np.exp(-0.5 * (far[:, None] * NODES) ** 2) / ROOT
    spread = np.sqrt(np.maximum(1.0 - alike**2, 1e-6))[:, None]
    middle = alike[:, None] * z
    inside = ndtr((far[:, None] - middle) / spread) - ndtr((-far[:, None] - middle) / spread)
    both = 100.0 * (1.0 - (mass * inside).sum(axis=1))
    return np.where(np.isnan(signal), chance, np.clip(both, 0.0, 100.0))
