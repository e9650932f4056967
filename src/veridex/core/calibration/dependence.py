"""How the errors of lead times go together, as past errors showed it."""

from collections.abc import Sequence

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.laws.warp import FURTHEST

__all__ = ["correlations", "extended", "positive"]

PRIOR_ROWS = 24.0
"""Origins that the mean over equal distances of lead times counts as."""


@np.errstate(all="ignore")
def correlations(fits: Sequence[Hindcast]) -> FloatArray:
    """Correlations (H, H) of normal scores about their law's middle over origins and items.

    With few origins they are drawn to their means over lead times that lie equally far apart, which need less to be
    told. Where no two lead times were seen together they are taken as independent.
    """
    horizon = fits[0].scores.shape[1]
    products, rows = np.zeros((horizon, horizon)), np.zeros((horizon, horizon))
    for fit in fits:
        scores = np.clip(fit.scores, -FURTHEST, FURTHEST)
        known = (~np.isnan(scores)).astype(np.float64)
        scores = np.nan_to_num(scores)
        products += scores.T @ scores
        rows += known.T @ known
    covariance = products / np.maximum(rows, 1.0)
    spread = np.sqrt(np.maximum(np.diag(covariance), 1e-12))
    own = np.where(rows > 0.0, covariance / np.outer(spread, spread), 0.0)
    share = rows / (rows + PRIOR_ROWS)
    return positive(share * own + (1.0 - share) * _by_distance(own, rows))


def _by_distance(own: FloatArray, rows: FloatArray) -> FloatArray:
    """Means over cells that are equally far from the diagonal."""
    horizon = own.shape[0]
    apart = np.abs(np.subtract.outer(np.arange(horizon), np.arange(horizon))).ravel()
    weights = np.bincount(apart, weights=rows.ravel(), minlength=horizon)
    means = np.bincount(apart, weights=(rows * own).ravel(), minlength=horizon) / np.maximum(weights, 1e-300)
    return np.asarray(means[apart].reshape(horizon, horizon))


def positive(matrix: FloatArray) -> FloatArray:
    """A correlation matrix near one that is none: eigenvalues raised to zero, then scaled.

    The spectral way of Rebonato and Jäckel (2000), Journal of Risk 2, 17-27.
    """
    both = 0.5 * (matrix + matrix.T)
    np.fill_diagonal(both, 1.0)
    values, vectors = np.linalg.eigh(both)
    whole = (vectors * np.maximum(values, 1e-9)) @ vectors.T
    scale = np.sqrt(np.diag(whole))
    return np.asarray(whole / np.outer(scale, scale))


def extended(matrix: FloatArray, horizon: int) -> FloatArray:
    """Correlations of `horizon` lead times: those beyond the tested ones go with each other as the last tested do."""
    tested = matrix.shape[0]
    if tested >= horizon:
        return matrix[:horizon, :horizon]
    i, j = np.indices((horizon, horizon))
    beyond = np.maximum(np.maximum(i, j) - (tested - 1), 0)
    return positive(matrix[np.maximum(i - beyond, 0), np.maximum(j - beyond, 0)])
