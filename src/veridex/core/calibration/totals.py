"""Demand of several lead times together."""

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Bands, Wanted
from veridex.core.calibration.dependence import extended
from veridex.core.calibration.sums import added, law_of_sum, spread_of_sums
from veridex.core.laws.components import NUMBERS, PIECES, drawn, rescaled
from veridex.core.laws.laws import Laws
from veridex.core.laws.support import Support
from veridex.core.laws.warp import Warp

__all__ = ["Totals", "as_means", "calibrated_totals", "finite_totals", "no_totals", "simulated_totals"]

FEWEST_PATHS = 100
"""With fewer usable paths nothing is said of a total."""


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Totals:
    """Demand from a lead time on up to each later one; NaN before it.

    Attributes
    ----------
    points : ndarray, shape (H,)
    bands : Bands
    laws : Laws or None
    warps : tuple of Warp
    reason : str
        Why there is none, or what is remarkable about it.
    """

    points: FloatArray
    bands: Bands
    laws: Laws | None = field(default=None, repr=False)
    warps: tuple[Warp, ...] = field(default=(), repr=False)
    reason: str = ""


def calibrated_totals(
    points: FloatArray, laws: Laws, support: Support, dependence: FloatArray, warps: tuple[Warp, ...], wanted: Wanted
) -> Totals:
    """Totals of lead times whose errors go together as past errors did, warped by what past totals showed.

    Parameters
    ----------
    points : ndarray, shape (H,)
    laws : Laws
        Of the lead times, shape (H,).
    dependence : ndarray
        Correlations of lead times, as many as were tested.
    warps : tuple of Warp
        Of totals, one per lead time.
    """
    spread = spread_of_sums(laws.moments()[1], extended(dependence, points.size), wanted.first)
    total = added(points, wanted.first)
    law = law_of_sum(total, spread, *support)
    return Totals(points=total, bands=Bands.read(law, warps, wanted), laws=law, warps=warps)


def as_means(totals: Totals, first: int, name: str) -> Totals:
    """Means over the lead times instead of sums, of what averages."""
    counts = np.maximum(np.arange(1.0, totals.points.size + 1.0) - (first - 1), 1.0)
    laws = totals.laws
    if laws is not None:
        components = laws.components.copy()
        rescaled(components, 1.0 / counts)
        laws = Laws(components, laws.floor, laws.whole)
    own = totals.bands
    bands = replace(own, lower=own.lower / counts, upper=own.upper / counts, quantiles=own.quantiles / counts)
    said = totals.reason or f"remark: the mean of the lead times, since {name} does not add up"
    return replace(totals, points=totals.points / counts, bands=bands, laws=laws, reason=said)


@np.errstate(all="ignore")
def finite_totals(totals: Totals, wanted: Wanted) -> Totals:
    """Totals as they are where all their numbers are finite or unknown; else none, and the reason."""
    bands = totals.bands
    numbers = (totals.points, bands.lower, bands.upper, bands.quantiles)
    if not any(np.isinf(one).any() for one in numbers):
        return totals
    return Totals(
        points=np.full(totals.points.size, np.nan),
        bands=Bands.missing(wanted, totals.points.size),
        reason="its total, or a bound of it, is larger than a number can be",
    )


def no_totals(steps: int, wanted: Wanted, name: str) -> Totals:
    """What stands for totals of a ratio: those of its two sums are not known."""
    said = f"{name} is a ratio of two sums: its total takes both of them"
    return Totals(points=np.full(steps, np.nan), bands=Bands.missing(wanted, steps), reason=said)


def simulated_totals(points: FloatArray, paths: FloatArray, support: Support, wanted: Wanted) -> Totals:
    """Totals by the method's own simulated paths (paths, H), moved so that their mean is the forecast's.

    Paths that left the finite numbers are left out, which is said; they cost neither an item nor its group the others.
    """
    total = added(points, wanted.first)
    whole = paths[np.isfinite(paths).all(axis=1)]
    if whole.shape[0] < FEWEST_PATHS:
        said = "its simulated paths are no finite numbers; its total has no bounds"
        return Totals(points=total, bands=Bands.missing(wanted, points.size), reason=said)
    sums = added(whole, wanted.first)
    law: Any = np.full((points.size, PIECES, NUMBERS), np.nan)
    drawn(law, total + sums - sums.mean(axis=0))
    laws = Laws(law, np.full(points.size, support.floor), np.full(points.size, support.whole))
    lost = paths.shape[0] - whole.shape[0]
    said = f"{lost} of {paths.shape[0]} simulated paths are no finite numbers and were left out" if lost else ""
    return Totals(points=total, bands=Bands.read(laws, (), wanted), laws=laws, reason=said)
