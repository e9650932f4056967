"""The Canova-Hansen test of a season that is the same each time against one that wanders."""

import math
from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.long_run import long_run
from veridex.core.diagnosis.outcome import Outcome

__all__ = ["canova_hansen", "von_mises_critical", "von_mises_p_value"]

TERMS = 400


def canova_hansen(y: FloatArray, season_length: int, *, lags: int | None = None) -> Outcome:
    """Test the null of a season that repeats itself: a *small* p-value speaks for seasonal unit roots.

    y is regressed on a constant, its value one period earlier (which takes up a plain unit root and no seasonal one)
    and the harmonics of all seasonal frequencies; the statistic cumulates the scores of the harmonics, in units of
    their long-run covariance, all frequencies jointly.

    Parameters
    ----------
    y : ndarray, shape (n,)
        Demand per period, oldest first, no NaN.
    season_length : int
        At least 2.
    lags : int, optional
        Bartlett window, default ``max(1, int((n / 100) ** 0.25))``: a wider one costs a test of eleven frequencies its
        size and its power.

    References
    ----------
    .. [1] Canova and Hansen (1995), Journal of Business and Economic Statistics 13, 237-252; the limit law is theirs,
       equation 13, of season - 1 degrees of freedom.
    """
    z, before = y[1:], y[:-1]
    n = int(z.size)
    window = max(1, int((n / 100.0) ** 0.25)) if lags is None else lags
    outcome = Outcome(test=f"Canova-Hansen (season of {season_length})", null="stable season", lags=window)
    if n < 3 * season_length:
        return replace(outcome, reason=f"too little history: {n + 1} periods, {3 * season_length + 1} needed")
    t = np.arange(1.0, n + 1.0)
    harmonics = [
        harmonic(2 * np.pi * k * t / season_length)
        for k in range(1, (season_length - 1) // 2 + 1)
        for harmonic in (np.cos, np.sin)
    ]
    if season_length % 2 == 0:
        harmonics.append(np.cos(np.pi * t))
    seasonal = np.column_stack(harmonics)
    design = np.column_stack((np.ones(n), before - before.mean(), seasonal))
    rest = z - design @ np.linalg.lstsq(design, z, rcond=None)[0]
    if float(rest @ rest) <= 1e-20 * float(y @ y):
        return replace(outcome, reason="the season repeats itself exactly")
    scores = seasonal * rest[:, None]
    covariance = long_run(scores, window)
    sums = np.cumsum(scores, axis=0)
    try:
        statistic = float(np.trace(np.linalg.solve(covariance, sums.T @ sums))) / n**2
    except np.linalg.LinAlgError:
        return replace(outcome, reason="the long-run covariance is singular")
    degrees = season_length - 1
    return replace(
        outcome,
        statistic=statistic,
        p_value=von_mises_p_value(statistic, degrees),
        critical=von_mises_critical(degrees),
        n=n,
    )


def von_mises_p_value(statistic: float, degrees: int) -> float:
    """Upper tail of the generalised von Mises law of so many degrees of freedom.

    The law of a sum of independent chi-squares of these degrees, each over (pi k)^2, k = 1, 2, and so on, by inversion
    of its characteristic function (Gil-Pelaez, 1951, Biometrika 38, 481-482).

    Examples
    --------
    >>> round(von_mises_p_value(0.470, 1), 3), round(von_mises_p_value(2.75, 11), 3)
    (0.048, 0.048)
    """
    u, phi = _characteristic(degrees)
    values = (np.exp(-1j * u * statistic) * phi).imag / u
    below = 0.5 - float((0.5 * (values[1:] + values[:-1]) * np.diff(u)).sum()) / math.pi
    # The integrand starts at u0 > 0 with the mean less the statistic as its height.
    below -= u[0] * values[0] / math.pi
    return float(min(max(1.0 - below, 0.0), 1.0))


NOTHING = 1e-20
"""Where the characteristic function is smaller than this it adds nothing any more."""


@lru_cache(maxsize=64)
def _characteristic(degrees: int) -> tuple[FloatArray, NDArray[np.complex128]]:
    """Characteristic function on a grid that is fine near zero; its product over k, the rest of it to second order."""
    u = np.linspace(1e-3, 60.0, 6_000) ** 2 / 2.0
    logs = np.zeros(u.size, dtype=np.complex128)
    for k in range(1, TERMS + 1):
        logs += np.log(1.0 - 2j * u / (math.pi * k) ** 2)
    left = 1.0 / (math.pi**2) * (1.0 / TERMS - 0.5 / TERMS**2)  # sum of 1 / (pi k)^2 beyond the last term
    logs -= 2j * u * left
    phi = np.exp(-0.5 * degrees * logs)
    ends = int(np.flatnonzero(np.abs(phi) > NOTHING)[-1]) + 2
    return u[:ends], phi[:ends]


@lru_cache(maxsize=64)
def von_mises_critical(degrees: int) -> tuple[float, float, float]:
    """Critical values at 1, 5 and 10 percent of the law above."""
    found = []
    for share in (0.01, 0.05, 0.10):
        low, high = 0.0, 1.0 + degrees
        for _ in range(30):
            middle = 0.5 * (low + high)
            low, high = (middle, high) if von_mises_p_value(middle, degrees) > share else (low, middle)
        found.append(0.5 * (low + high))
    return found[0], found[1], found[2]
