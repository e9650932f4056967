"""Which transform makes the spread even: none, the logarithm, or a power of Box and Cox."""

import math
from dataclasses import dataclass

import numpy as np
from scipy.special import chdtrc

from veridex.core.arrays import FloatArray
from veridex.core.numerics.box_cox import box_cox

__all__ = ["TransformAdvice", "likeliest_power", "transform_advice"]


POWERS = np.round(np.arange(-1.0, 2.0001, 0.05), 2)
SIGNIFICANCE = 0.01
"""A transform needs more evidence than chance: measured on real series, logs taken automatically did harm."""

LOG_BELOW, NONE_ABOVE = 0.3, 0.75


@dataclass(frozen=True, slots=True)
class TransformAdvice:
    """Advice on the transform.

    Attributes
    ----------
    transform : {"none", "log", "box-cox"}
    power : float
        Box and Cox's parameter of greatest likelihood; NaN where not available.
    guerrero : float
        The parameter of Guerrero's method; NaN where not available.
    p_value : float
        Of the likelihood ratio against no transform.
    words : str
    """

    transform: str
    power: float
    guerrero: float
    p_value: float
    words: str


def transform_advice(y: FloatArray, season_length: int) -> TransformAdvice:
    """Advise a transform for known, unbroken values.

    The likelihood is that of the changes from period to period around a mean per phase of the season, with the
    Jacobian: a trend does not disturb it; a season or spread that grows with the level speaks for a power below one.
    """
    nothing = math.nan
    if y.size < max(2 * season_length + 2, 12):
        return TransformAdvice(
            "none", nothing, nothing, nothing, "too little history to judge the spread: no transform"
        )
    if y.min() <= 0:
        return TransformAdvice("none", nothing, nothing, nothing, "demand is not above zero everywhere: no transform")
    likelihoods = np.array([_likelihood(y, power, season_length) for power in POWERS])
    if not np.isfinite(likelihoods).all():
        return _nothing("the series is exactly regular")
    best = int(np.argmax(likelihoods))
    power = float(POWERS[best])
    plain = float(likelihoods[int(np.flatnonzero(POWERS == 1.0)[0])])
    p_value = float(chdtrc(1, 2.0 * (float(likelihoods[best]) - plain)))
    guerrero = guerrero_power(y, season_length)
    chance = "p < 0.001" if p_value < 0.001 else f"p {p_value:.3f}"
    evidence = f"the likelihood prefers power {power:g} (Guerrero {guerrero:.2f}; against none {chance})"
    if p_value >= SIGNIFICANCE or power >= NONE_ABOVE:
        return TransformAdvice("none", power, guerrero, p_value, f"no transform: {evidence}")
    zero = float(likelihoods[int(np.flatnonzero(POWERS == 0.0)[0])])
    if power < LOG_BELOW or chdtrc(1, 2.0 * (float(likelihoods[best]) - zero)) >= SIGNIFICANCE:
        return TransformAdvice(
            "log", power, guerrero, p_value, f"take logarithms, the spread grows with the level: {evidence}"
        )
    return TransformAdvice("box-cox", power, guerrero, p_value, f"take a Box-Cox power of {power:g}: {evidence}")


def likeliest_power(y: FloatArray, season_length: int) -> float:
    """The power from 0 to 1 of greatest likelihood for known values above zero; 1 where they do not say."""
    if y.size < max(2 * season_length + 2, 12):
        return 1.0
    powers = POWERS[(POWERS >= 0.0) & (POWERS <= 1.0)]
    likelihoods = np.array([_likelihood(y, float(power), season_length) for power in powers])
    return float(powers[int(np.argmax(likelihoods))]) if np.isfinite(likelihoods).all() else 1.0


def _nothing(why: str) -> TransformAdvice:
    return TransformAdvice("none", math.nan, math.nan, math.nan, f"no transform: {why}")


def _likelihood(y: FloatArray, power: float, season_length: int) -> float:
    """Profile log-likelihood of a power, constants left out; in units of the geometric mean, of which it is free."""
    y = y / math.exp(float(np.log(y).mean()))
    change = np.diff(box_cox(y, power))
    rest = change.copy()
    phases = season_length if y.size > 3 * season_length else 1
    for phase in range(phases):
        rest[phase::phases] -= rest[phase::phases].mean()
    variance = float(np.mean(rest**2))
    if variance <= 0:
        return math.nan
    return float(-0.5 * rest.size * math.log(variance) + (power - 1.0) * np.log(y[1:]).sum())


def guerrero_power(y: FloatArray, season_length: int) -> float:
    """The power at which the spread within each season, over the level to 1 - power, varies least.

    Guerrero (1993), Journal of Forecasting 12, 37-48. Without a season, groups of two.
    """
    size = max(season_length, 2)
    groups = (y / y.mean())[y.size % size :].reshape(-1, size)
    if groups.shape[0] < 2:
        return math.nan
    means, spreads = groups.mean(axis=1), groups.std(axis=1, ddof=1)
    variation = []
    for power in POWERS:
        ratio = spreads / means ** (1.0 - power)
        variation.append(float(ratio.std(ddof=1) / ratio.mean()) if ratio.mean() > 0 else math.inf)
    return float(POWERS[int(np.argmin(variation))])
