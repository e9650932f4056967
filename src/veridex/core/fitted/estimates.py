"""Tables of what was estimated: coefficients with their evidence, zeros of polynomials."""

import math
from collections.abc import Mapping

import numpy as np
import pandas as pd
from numpy.typing import NDArray
from scipy.special import ndtr, stdtr

from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.labels import POLYNOMIALS

__all__ = ["coefficient_table", "margins", "root_table"]

STARS = ((0.001, "***"), (0.01, "**"), (0.05, "*"))


def coefficient_table(found: Coefficients | None) -> pd.DataFrame:
    """A row per estimate: name, value, std_error, ratio, p_value, stars (*** below 0.001, ** 0.01, * 0.05), at_edge."""
    columns = ["name", "value", "std_error", "ratio", "p_value", "stars", "at_edge"]
    if found is None:
        return pd.DataFrame(columns=columns)
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = found.values / found.errors
    below = ndtr(-np.abs(ratio)) if math.isinf(found.degrees) else stdtr(found.degrees, -np.abs(ratio))
    p_values = 2.0 * below
    stars = [next((sign for bound, sign in STARS if p < bound), "") for p in p_values]
    at_edge = [name in found.at_edge for name in found.names]
    table = (list(found.names), np.array(found.values), found.errors, ratio, p_values, stars, at_edge)
    return pd.DataFrame(dict(zip(columns, table, strict=True)))


def root_table(roots: Mapping[str, NDArray[np.complex128]]) -> pd.DataFrame:
    """A row per zero: polynomial, real, imaginary, modulus, and the periods of the swing that a complex one makes.

    Zeros of the seasonal polynomials are those in B^m. Outside the unit circle all is well.
    """
    rows = []
    for name, zeros in roots.items():
        for zero in sorted(zeros, key=lambda z: (abs(z), z.imag)):
            angle = abs(float(np.angle(zero)))
            swing = 2.0 * math.pi / angle if angle > 1e-9 else math.nan
            rows.append((name, float(zero.real), float(zero.imag), float(abs(zero)), swing))
    return pd.DataFrame(rows, columns=["polynomial", "real", "imaginary", "modulus", "periods"])


def margins(roots: Mapping[str, NDArray[np.complex128]]) -> tuple[float, float]:
    """How far the zeros of the autoregressive and of the moving-average polynomials stay off the unit circle.

    The smallest modulus less one; NaN where there is no such polynomial.
    """
    found = []
    for names in (POLYNOMIALS[::2], POLYNOMIALS[1::2]):
        zeros = [abs(zero) for name in names for zero in roots.get(name, ())]
        found.append(float(min(zeros)) - 1.0 if zeros else math.nan)
    return found[0], found[1]
