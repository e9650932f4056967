"""The power transform of Box and Cox, and the way back for values, means and standard deviations.

Box and Cox (1964), Journal of the Royal Statistical Society B 26, 211-252. Powers from 0 (the logarithm) up to 1: below
zero the transformed values are bounded above, and the mean of what comes back need not exist.
"""

import numpy as np

from veridex.core.arrays import FloatArray

__all__ = ["back_moments", "back_values", "box_cox", "log_jacobian"]


NODES, WEIGHTS = np.polynomial.hermite_e.hermegauss(40)
WEIGHTS = WEIGHTS / WEIGHTS.sum()


def box_cox(y: FloatArray, power: float) -> FloatArray:
    """(y^power - 1) / power, the logarithm at 0."""
    return np.log(y) if power == 0 else np.asarray((y**power - 1.0) / power)


def back_values(z: FloatArray, power: float) -> FloatArray:
    """Undo `box_cox`; what lies below the transform of zero comes back as zero."""
    if power == 0:
        return np.exp(z)
    return np.asarray(np.maximum(power * z + 1.0, 0.0) ** (1.0 / power))


def back_moments(mean: FloatArray, std_error: FloatArray, power: float) -> tuple[FloatArray, FloatArray]:
    """Mean and standard deviation of demand whose transform is normal.

    Closed forms of the log-normal law at power 0 (Johnson, Kotz and Balakrishnan, 1994, Continuous Univariate
    Distributions 1, chapter 14), else Gauss-Hermite quadrature of 40 nodes.

    Parameters
    ----------
    mean, std_error : ndarray, shape (k,)
        Of the transformed demand.
    power : float
    """
    if power == 0:
        centre = np.exp(mean + 0.5 * std_error**2)
        return centre, centre * np.sqrt(np.expm1(std_error**2))
    values = back_values(mean[..., None] + std_error[..., None] * NODES, power)
    centre = values @ WEIGHTS
    return centre, np.sqrt(np.maximum((values - centre[..., None]) ** 2 @ WEIGHTS, 0.0))


def log_jacobian(y: FloatArray, power: float) -> float:
    """What the log-likelihood of the transformed values lacks to be that of the values themselves."""
    return float((power - 1.0) * np.log(y).sum())
