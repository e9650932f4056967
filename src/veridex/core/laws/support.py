"""What demand can be: whole numbers or any, not below a floor."""

import math
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.laws.components import FEWEST_DEGREES, FIRST, KIND, WEIGHT, Components, Kind
from veridex.errors import ParameterError

__all__ = ["ANY", "Support", "floor_of", "support_of", "supported"]

ROUNDING = 1e-9
"""A variance this much below the mean is Poisson's all the same."""

LEAST = 0.05
"""A mean this small a part of the standard deviation is as near to zero as a law without negative values is taken."""

SMALLEST = 1e-140
"""A spread up to which squares of it and of a mean are no full numbers, nor beyond its inverse: such a law stays."""


class Support(NamedTuple):
    """Where demand lives.

    Attributes
    ----------
    floor : float
        What it never is below; minus infinity where there is none.
    whole : bool
        Whether it is counted in whole numbers.
    """

    floor: float = -math.inf
    whole: bool = False

    def in_words(self) -> str:
        """For people: "whole numbers from 0 on"."""
        kind = "whole numbers" if self.whole else "any numbers"
        return kind if math.isinf(self.floor) else f"{kind} from {self.floor:g} on"


ANY = Support()


def floor_of(stated: float | str | None) -> float | None:
    """A floor as it is stated: a number, ``"none"``, or nothing.

    Raises
    ------
    ParameterError
        If it is something else.
    """
    if stated is None:
        return None
    if isinstance(stated, str) and stated.strip().lower() == "none":
        return -math.inf
    try:
        found = float(stated)
    except ValueError:
        found = math.nan
    if not math.isfinite(found):
        raise ParameterError("floor", repr(stated), "it is what demand never is below, as in 0, or none")
    return found


def support_of(values: FloatArray, floor: float | None = None, whole: bool | None = None) -> Support:
    """The support that values show: not below zero where none was, whole where all are.

    Parameters
    ----------
    values : ndarray
        NaN is unknown.
    floor : float, optional
        What is stated instead: 0, or minus infinity for none.
    whole : bool, optional
        Whether it is counted in whole numbers, where that is stated.
    """
    known = values[~np.isnan(values)]
    if not known.size:
        return Support(-math.inf if floor is None else floor, bool(whole))
    shown = 0.0 if known.min() >= 0.0 else -math.inf
    counted = bool((known == np.rint(known)).all()) if whole is None else whole
    return Support(shown if floor is None else floor, counted)


@np.errstate(all="ignore")
def supported(law: Components, floor: FloatArray, whole: FloatArray) -> Components:
    """Laws (..., components, NUMBERS) as those of demand with a support: means and variances kept.

    Demand that never was below zero has no normal law: a gamma law of the same two moments stands for it, where it is
    counted a negative binomial one, as long as there is more spread than Poisson's (Snyder, Ord and Beaumont, 2012,
    International Journal of Forecasting 28, 485-496). A whole size that comes now and then is one and a negative
    binomial rest.

    Parameters
    ----------
    law : ndarray, shape (..., components, NUMBERS)
    floor, whole : ndarray, shape (...)
    """
    found = np.array(law, dtype=np.float64)
    kind = found[..., KIND]
    bounded = (floor >= 0.0)[..., None] & (found[..., WEIGHT] > 0.0)
    counted = np.asarray(whole, dtype=bool)[..., None]
    a, b, c = (found[..., FIRST + j] for j in range(3))
    squared = (b > SMALLEST) & (np.maximum(b, np.abs(a)) < 1.0 / SMALLEST)
    direct = bounded & np.isin(kind, (Kind.NORMAL, Kind.STUDENT)) & squared
    degrees = np.where(kind == Kind.STUDENT, np.maximum(c, FEWEST_DEGREES), np.inf)
    variance = b * b * np.where(np.isfinite(degrees), degrees / (degrees - 2.0), 1.0)
    mean = np.maximum(a, LEAST * np.sqrt(variance))
    spread = direct & counted & (variance > mean * (1.0 - ROUNDING))
    now_and_then = bounded & counted & (kind == Kind.COMPOUND) & (b >= 1.0) & (c > b - 1.0)
    found[..., KIND] = np.select(
        [spread, direct, now_and_then], [Kind.NEGATIVE_BINOMIAL, Kind.COMPOUND, Kind.ZERO_INFLATED], kind
    )
    found[..., FIRST] = np.select([spread, direct], [mean, 1.0], a)
    found[..., FIRST + 1] = np.select([spread, direct], [variance, mean], b)
    found[..., FIRST + 2] = np.where(direct & ~spread, variance, c)
    return found
