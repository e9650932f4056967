"""Whether autocorrelations together are more than chance: Box-Pierce and Ljung-Box."""

from dataclasses import dataclass

import numpy as np
from scipy.special import chdtrc

from veridex.core.arrays import FloatArray, near_one

__all__ = ["Portmanteau", "autocorrelations", "portmanteau"]


@dataclass(frozen=True, slots=True)
class Portmanteau:
    """One portmanteau test: a *small* p-value speaks against white noise.

    `degrees` are the lags less the coefficients estimated before (`fitted`); without any left it is not available.
    """

    test: str
    lags: int
    degrees: int
    statistic: float
    p_value: float


def autocorrelations(y: FloatArray, lags: int) -> tuple[FloatArray, int]:
    """Autocorrelations at lags 0 to `lags`, and how many values are known.

    Sums of products of deviations from the mean over the sum of squares (Box and Jenkins, 1970, section 2.1.5). With
    unknown values (NaN) the products are averaged over the pairs that are known, as in Parzen (1963), Sankhya A 25,
    383-392.
    """
    y = near_one(y)
    known = ~np.isnan(y)
    n = int(known.sum())
    x = np.where(known, y - np.mean(y[known]), 0.0)
    size = 1 << int(2 * x.size).bit_length()
    products = np.fft.irfft(np.abs(np.fft.rfft(x, size)) ** 2, size)[: lags + 1]
    if n == x.size:
        return products / products[0], n
    pairs = np.rint(np.fft.irfft(np.abs(np.fft.rfft(known.astype(float), size)) ** 2, size)[: lags + 1])
    expected = n * (x.size - np.arange(lags + 1)) / x.size
    with np.errstate(divide="ignore", invalid="ignore"):
        adjusted = np.where(pairs > 0, products * expected / pairs, np.nan)
    return adjusted / products[0], n


def portmanteau(r: FloatArray, n: int, lags: int, fitted: int = 0) -> tuple[Portmanteau, Portmanteau]:
    """Box-Pierce and Ljung-Box tests of the first `lags` autocorrelations.

    Parameters
    ----------
    r : ndarray, shape (more than lags,)
        Autocorrelations from lag 0 on.
    n : int
        Known values.
    lags : int
    fitted : int
        ARMA coefficients estimated before, which the degrees of freedom are corrected for.

    References
    ----------
    .. [1] Box and Pierce (1970), Journal of the American Statistical Association 65, 1509-1526.
    .. [2] Ljung and Box (1978), Biometrika 65, 297-303.
    """
    squares = r[1 : lags + 1] ** 2
    plain = n * float(squares.sum())
    weighted = n * (n + 2) * float((squares / (n - np.arange(1, lags + 1))).sum())
    degrees = lags - fitted
    p_values = [float(chdtrc(degrees, value)) if degrees > 0 else float("nan") for value in (plain, weighted)]
    return (
        Portmanteau("Box-Pierce", lags, degrees, plain, p_values[0]),
        Portmanteau("Ljung-Box", lags, degrees, weighted, p_values[1]),
    )
