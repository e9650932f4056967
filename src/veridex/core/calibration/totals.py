"""Totals over lead times, with a calibration of their own."""

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Bands, joined_bands
from veridex.core.calibration.conformal import growing, nested
from veridex.core.calibration.crossfit import Crossfit

__all__ = ["calibrated_totals", "simulated_bounds", "stretch"]

Bounds = tuple[FloatArray, FloatArray]

MOST = (0.25, 4.0)
"""Simulated totals that are further off say that something else is wrong."""


def simulated_bounds(totals: FloatArray, paths: FloatArray, levels: tuple[float, ...]) -> Bounds:
    """Bounds (levels, H) of totals (H,) from simulated paths (paths, H), moved so that their mean is the forecast's.

    Paths that left the finite numbers are left out; they cost neither an item nor its group the others.
    """
    whole = np.isfinite(paths).all(axis=1)
    if not whole.any():
        return np.full((len(levels), totals.size), np.nan), np.full((len(levels), totals.size), np.nan)
    sums = np.cumsum(paths[whole], axis=1)
    shares = np.array([share for level in levels for share in (0.5 - level / 200.0, 0.5 + level / 200.0)])
    found = totals + np.quantile(sums - sums.mean(axis=0), shares, axis=0)
    return found[0::2], found[1::2]


@np.errstate(all="ignore")
def calibrated_totals(
    totals: FloatArray,
    std_error: FloatArray,
    simulated: Bounds,
    crossfit: Crossfit | None,
    levels: tuple[float, ...],
    kind: str | None,
    pooled: FloatArray | None = None,
    factor: FloatArray | None = None,
) -> Bands:
    """Bounds of totals from the first lead time up to each.

    A conformal half-width is a quantile of past totals' errors against standard errors added up, times those of the
    forecast; the model's bounds are simulated ones.

    Parameters
    ----------
    totals, std_error : ndarray, shape (H,)
    simulated : tuple of ndarray, shape (levels, H)
    crossfit : Crossfit or None
    levels : tuple of float
    kind : str or None
    pooled : ndarray, shape (levels, tested H), or None
        Quantiles of the other items' totals.
    factor : ndarray, shape (levels, H), or None
        From `stretch`.
    """
    chosen = "model" if crossfit is None else kind or crossfit.default_kind
    if crossfit is None or chosen == "model":
        return Bands(*nested(totals, *simulated), ("model",) * len(levels), range(0))
    steps = min(crossfit.actuals.shape[1], totals.size)
    half = crossfit.total_quantiles(levels, pooled)[:, :steps] * np.cumsum(growing(std_error))[:steps]
    stretched = np.ones(half.shape) if factor is None else factor[:, :steps]
    kinds = crossfit.kinds(chosen, levels, totals=True)
    return joined_bands(totals, simulated, half, stretched, crossfit, kinds)


@np.errstate(all="ignore")
def stretch(simulated: Bounds, std_error: FloatArray, pooled: FloatArray | None) -> FloatArray | None:
    """By how much simulated totals of an item are too narrow, shape (levels, H); None where it has no company.

    Simulated paths know nothing of the uncertainty of what was estimated and chosen, which lead times share. The factor
    is the half-width that the errors of the trial's other items' totals ask for, over the simulated one: it rests on
    the trial alone, so that an item's total does not depend on which others are published beside it.
    """
    if pooled is None:
        return None
    lower, upper = simulated
    steps = min(pooled.shape[1], std_error.size)
    ratio = np.ones(lower.shape)
    wanted = pooled[:, :steps] * np.cumsum(growing(std_error))[:steps]
    ratio[:, :steps] = wanted / (0.5 * (upper - lower)[:, :steps])
    return np.asarray(np.clip(np.where(np.isfinite(ratio), ratio, 1.0), *MOST))
