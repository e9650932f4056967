"""How often and how evenly an item is wanted."""

import math

import numpy as np

from veridex.core.arrays import FloatArray

__all__ = ["SELDOM", "demand_pattern"]

INTERVAL, VARIATION = 1.32, 0.49
"""Cut-offs of the demand classes: Syntetos, Boylan and Croston (2005), Journal of the Operational Research Society
56, 495-503."""


SELDOM = ("intermittent", "lumpy")
"""Classes of demand that comes now and then."""


@np.errstate(all="ignore")  # squares of demand near the limits of floating point overflow
def demand_pattern(values: FloatArray) -> tuple[float, float, str]:
    """Mean interval between demands, squared coefficient of variation of their sizes, and the demand class.

    Parameters
    ----------
    values : ndarray, shape (n,)
        Demand per period; NaN is unknown, zeros before the first demand and after the last count as nothing.

    Returns
    -------
    tuple of float, float and str
        Interval in periods; variation without unit; smooth, erratic, intermittent, lumpy or none.
    """
    y = values[~np.isnan(values)]
    sold = np.flatnonzero(y != 0)
    sizes = y[sold]
    interval = (int(sold[-1]) - int(sold[0]) + 1) / sold.size if sold.size else math.nan
    variation = float(np.var(sizes) / np.mean(sizes) ** 2) if sold.size > 1 and np.mean(sizes) != 0 else math.nan
    return interval, variation, _class(interval, variation)


def _class(interval: float, variation: float) -> str:
    if math.isnan(interval):
        return "none"
    uneven = variation > VARIATION
    if interval > INTERVAL:
        return "lumpy" if uneven else "intermittent"
    return "erratic" if uneven else "smooth"
