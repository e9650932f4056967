"""Whether one method is really better than another: tests of equal accuracy, mean ranks, a paired bootstrap."""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.special import stdtr, stdtrit

from veridex.core.arrays import FloatArray

__all__ = [
    "FEWEST_HORIZONS",
    "EqualAccuracy",
    "MeanRanks",
    "PairedDifference",
    "diebold_mariano",
    "mean_error",
    "mean_interval",
    "mean_ranks",
    "paired_bootstrap",
    "paired_over_origins",
]


FEWEST_HORIZONS = 3
"""Origins needed for each lead time that overlaps."""

LEAST_OVERLAP = 3
"""What all items have in common puts forecasts off for several origins, however near they look."""

FEWEST_COSINES = 2

DRAWS = 2000


@dataclass(frozen=True, slots=True)
class EqualAccuracy:
    """Outcome of a test of equal accuracy of two methods on one series.

    Attributes
    ----------
    difference : float
        Mean loss of the first less that of the second.
    statistic, p_value : float
        Two-sided; NaN where not available.
    n : int
        Origins.
    reason : str
        Why it is not available; empty where it is.
    """

    difference: float
    statistic: float
    p_value: float
    n: int
    reason: str = ""


def diebold_mariano(first: FloatArray, second: FloatArray, overlap: int) -> EqualAccuracy:
    """Test whether two methods have the same expected loss, with overlapping lead times respected.

    One period ahead: Diebold and Mariano's statistic with the small-sample correction and Student's t law with n - 1
    degrees of freedom. Where lead times overlap their sum of autocovariances rejects far too often in samples of this
    size; the variance is then the mean of the squared first n / (2 overlap) cosine transforms of the differences (at
    least two), whose number is the degrees of freedom.

    Parameters
    ----------
    first, second : ndarray, shape (n,)
        Losses at the same origins, oldest first.
    overlap : int
        Origins over which a forecast's lead time reaches: the lead time over the stride, rounded up.

    References
    ----------
    .. [1] Diebold and Mariano (1995), Journal of Business and Economic Statistics 13, 253-263.
    .. [2] Harvey, Leybourne and Newbold (1997), International Journal of Forecasting 13, 281-291 (the correction).
    .. [3] Coroneo and Iacone (2020), Journal of Applied Econometrics 35, 391-409 (fixed-smoothing limits); Muller
    (2007),
       Journal of Econometrics 141, 1331-1352 (cosine transforms).
    """
    d = first - second
    n = d.size
    mean = float(d.mean()) if n else math.nan
    if n < FEWEST_HORIZONS * overlap or n < 2:
        needed = max(FEWEST_HORIZONS * overlap, 2)
        return EqualAccuracy(mean, math.nan, math.nan, n, f"{n} origins, {needed} needed for this lead time")
    e = d - mean
    if not float(e @ e) > 1e-24 * float(d @ d):
        return EqualAccuracy(mean, math.nan, math.nan, n, "the losses differ by the same amount at every origin")
    variance, degrees = _long_run_variance(e, overlap)
    statistic = mean / math.sqrt(float(variance) / n)
    return EqualAccuracy(mean, statistic, float(2.0 * stdtr(degrees, -abs(statistic))), n)


def _long_run_variance(e: FloatArray, overlap: int) -> tuple[FloatArray, int]:
    """Variances of values whose mean is uncertain, and their degrees of freedom.

    `e` are deviations from the mean, shape (..., n).
    """
    n = e.shape[-1]
    if overlap == 1:
        return np.asarray((e * e).sum(axis=-1) / (n - 1)), n - 1  # the correction at lead time one: (n - 1) / n
    degrees = max(FEWEST_COSINES, n // (2 * overlap))
    sums = (e[..., None, :] * _harmonics(n, degrees)).sum(axis=-1)
    return np.asarray(np.square(sums).mean(axis=-1) * 2.0 / n), degrees


@lru_cache(maxsize=64)
def _harmonics(n: int, count: int) -> FloatArray:
    """The first cosine harmonics over n origins, shape (count, n)."""
    return np.asarray(np.cos(np.pi * np.outer(np.arange(1, count + 1), np.arange(n) + 0.5) / n))


def mean_error(values: FloatArray, overlap: int) -> FloatArray:
    """Standard errors of the means of losses at origins in a row, with overlapping lead times respected.

    Parameters
    ----------
    values : ndarray, shape (..., n)
        Losses, oldest origin first.
    overlap : int
        As in `diebold_mariano`, and so is the variance.

    Returns
    -------
    ndarray, shape (...)
        NaN with fewer than three origins.
    """
    n = values.shape[-1]
    if n < FEWEST_HORIZONS:
        return np.full(values.shape[:-1], np.nan)
    variance, _ = _long_run_variance(values - values.mean(axis=-1, keepdims=True), overlap)
    return np.asarray(np.sqrt(variance / n))


def mean_interval(values: FloatArray, overlap: int) -> tuple[float, float]:
    """95 % interval of the mean of values at origins in a row, by the law that `diebold_mariano` goes by.

    NaN with fewer than three origins.
    """
    if values.size < FEWEST_HORIZONS:
        return math.nan, math.nan
    variance, degrees = _long_run_variance(values - values.mean(), overlap)
    half = float(stdtrit(degrees, 0.975)) * math.sqrt(float(variance) / values.size)
    return float(values.mean()) - half, float(values.mean()) + half


@dataclass(frozen=True, slots=True, eq=False)
class MeanRanks:
    """Mean ranks of methods over items, and the distance beyond which two of them differ.

    Attributes
    ----------
    ranks : ndarray, shape (methods,)
        One is best; ties share their ranks.
    critical : float
        Critical distance at 5 %, wider where items are off together; NaN where not available.
    items : int
    """

    ranks: FloatArray
    critical: float
    items: int


def mean_ranks(errors: FloatArray, by_origin: FloatArray | None = None, overlap: int = 1) -> MeanRanks:
    """Rank the methods on each item, and average the ranks.

    Parameters
    ----------
    errors : ndarray, shape (items, methods)
        Less is better; items with a NaN are left out.
    by_origin : ndarray, shape (items, methods, origins), optional
        The same at each origin. Where mean ranks over the items move more from origin to origin than independent items
        would let them, the critical distance is as much wider; without it items are taken as independent.
    overlap : int
        Origins over which a forecast's lead time reaches.

    References
    ----------
    .. [1] Friedman (1937), Journal of the American Statistical Association 32, 675-701; Nemenyi (1963).
    .. [2] Demsar (2006), Journal of Machine Learning Research 7, 1-30 (the critical distance).
    """
    from scipy.stats import rankdata, studentized_range  # heavy, and not wanted in a worker

    whole = np.isfinite(errors).all(axis=1)
    items, k = int(whole.sum()), errors.shape[1]
    if items < 2 or k < 2:
        return MeanRanks(np.full(k, np.nan), math.nan, items)
    own = rankdata(errors[whole], axis=1)
    quantile = float(studentized_range.ppf(0.95, k, np.inf)) / math.sqrt(2.0)
    wider = 1.0
    if by_origin is not None:
        moved = rankdata(by_origin[whole], axis=1, nan_policy="omit")
        wider = math.sqrt(max(_together(moved, overlap), 1.0))
    return MeanRanks(own.mean(axis=0), wider * quantile * math.sqrt(k * (k + 1.0) / (6.0 * items)), items)


def _together(ranks: FloatArray, overlap: int) -> float:
    """How many times the variance of differences of mean ranks (items, methods, origins) is that of independent items.

    One where it cannot be told.
    """
    means, own = np.nanmean(ranks, axis=0), np.nanmean(ranks, axis=2)
    means = means[:, np.isfinite(means).all(axis=0)]
    if means.shape[1] < FEWEST_HORIZONS:
        return 1.0
    i, j = np.triu_indices(means.shape[0], 1)
    apart = means[i] - means[j]
    variance, degrees = _long_run_variance(apart - apart.mean(axis=1, keepdims=True), max(overlap, LEAST_OVERLAP))
    alone = (own[:, i] - own[:, j]).var(axis=0, ddof=1).sum() / own.shape[0]
    # The variance is told by few transforms, of as many contrasts as there are between the methods.
    few = float(stdtrit(degrees * (means.shape[0] - 1), 0.975)) / 1.959963984540054
    return few**2 * float(variance.sum() / means.shape[1] / alone) if alone > 0.0 else 1.0


@dataclass(frozen=True, slots=True)
class PairedDifference:
    """Mean difference of a measure over items with its interval.

    Attributes
    ----------
    difference : float
        Mean of the first method's measure less the second's.
    lower, upper : float
        95 % interval; NaN with fewer than five items.
    p_value : float
        Two-sided.
    items, origins : int
        Without origins items are taken as independent.
    """

    difference: float
    lower: float
    upper: float
    p_value: float
    items: int
    origins: int = 0


FEWEST_ITEMS = 5
MANY = 300


def paired_bootstrap(first: FloatArray, second: FloatArray, seed: int = 0) -> PairedDifference:
    """Compare a measure of two methods over items by resampling the items.

    The interval and the p-value are those of the bootstrap of the studentised mean, drawn 2,000 times; of more than 300
    items those of the normal law.

    Parameters
    ----------
    first, second : ndarray, shape (items,)
        Items without one of them are left out.

    References
    ----------
    .. [1] Efron and Tibshirani (1993), An Introduction to the Bootstrap, sections 12.5 and 16.4.
    """
    d = (first - second)[np.isfinite(first) & np.isfinite(second)]
    n = d.size
    mean = float(d.mean()) if n else math.nan
    if n < FEWEST_ITEMS or not np.ptp(d) > 0.0:
        return PairedDifference(mean, math.nan, math.nan, math.nan, n)
    error = float(d.std(ddof=1)) / math.sqrt(n)
    if n > MANY:
        # The mean of so many is normal: drawing would add nothing but time.
        half = 1.959963984540054 * error
        return PairedDifference(mean, mean - half, mean + half, float(2.0 * stdtr(n - 1, -abs(mean / error))), n)
    rng = np.random.default_rng([seed, n])
    drawn = d[rng.integers(0, n, (DRAWS, n))]
    spread = drawn.std(axis=1, ddof=1) / math.sqrt(n)
    with np.errstate(divide="ignore", invalid="ignore"):
        t = (drawn.mean(axis=1) - mean) / spread
    t = t[np.isfinite(t)]
    low, high = np.quantile(t, (0.025, 0.975))
    p_value = float((1 + np.count_nonzero(np.abs(t) >= abs(mean / error))) / (t.size + 1))
    return PairedDifference(mean, mean - float(high) * error, mean - float(low) * error, p_value, n)


def paired_over_origins(differences: FloatArray, overlap: int) -> PairedDifference:
    """Test whether the mean difference of a measure over items is zero, where items may be off together.

    What items have in common moves the mean over all of them from origin to origin. The variance of that mean over the
    origins is the one of `diebold_mariano`: squares of its first cosine transforms, which respect that lead times
    overlap and pay for there being few windows with few degrees of freedom. Resampling origins in blocks instead
    rejects far too often with two windows (`docs/verification.md`).

    Parameters
    ----------
    differences : ndarray, shape (items, origins)
        Of two methods' measure; NaN where an item was not tested. Each item counts alike.
    overlap : int
        Origins over which a forecast's lead time reaches.

    References
    ----------
    .. [1] Driscoll and Kraay (1998), Review of Economics and Statistics 80, 549-560 (means over units, by time).
    .. [2] Coroneo and Iacone (2020), Journal of Applied Econometrics 35, 391-409.
    """
    known = np.isfinite(differences)
    has = known.any(axis=1)
    counts, items = known[has].sum(axis=1), int(has.sum())
    origins = int(known.any(axis=0).sum())
    if not items:
        return PairedDifference(math.nan, math.nan, math.nan, math.nan, 0)
    by_item = np.where(known[has], differences[has], 0.0) / counts[:, None]
    means = (by_item.sum(axis=0) * origins / items)[known.any(axis=0)]
    mean = float(means.mean())
    if items < FEWEST_ITEMS or origins < FEWEST_HORIZONS or not np.ptp(means) > 0.0:
        return PairedDifference(mean, math.nan, math.nan, math.nan, items, origins)
    variance, degrees = _long_run_variance(means - mean, max(overlap, LEAST_OVERLAP))
    error = math.sqrt(float(variance) / origins)
    if not error > 0.0:
        return PairedDifference(mean, math.nan, math.nan, math.nan, items, origins)
    half = float(stdtrit(degrees, 0.975)) * error
    p_value = float(2.0 * stdtr(degrees, -abs(mean / error)))
    return PairedDifference(mean, mean - half, mean + half, p_value, items, origins)
