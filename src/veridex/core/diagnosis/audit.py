"""The residual audit: what a method missed, in its training span and on the holdout."""

import math
from dataclasses import dataclass, field, replace
from typing import ClassVar, Literal

import numpy as np
import pandas as pd
from scipy.special import chdtrc, fdtrc, stdtr

from veridex.core.arrays import FloatArray, IntArray, deviation
from veridex.core.diagnosis.portmanteau import autocorrelations, portmanteau
from veridex.core.history.item import ItemHistory
from veridex.core.notebook import Faced
from veridex.core.readable import number

__all__ = ["Audit", "Check", "audit_errors"]


SIGNIFICANCE = 0.05
ROUNDING = 1e-30
"""Share of the squares that nothing explains by rounding alone: no statistic is infinite."""

FEWEST = 8
LARGEST = 5


@dataclass(frozen=True, slots=True)
class Check:
    """One check: what would be found missing, its statistic and p-value, and what it says."""

    check: str
    statistic: float
    p_value: float
    reading: str

    @property
    def failed(self) -> bool:
        """Whether something was found at 5 %."""
        return self.p_value < SIGNIFICANCE


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Audit(Faced):
    """The residual audit of one method on one series.

    Attributes
    ----------
    item, method : str
    scope : {"training", "holdout"}
    n : int
        Errors that were judged.
    checks : tuple of Check
        Portmanteau, bias, normality, spread, season, size where it is known, trend.
    skewness, excess_kurtosis : float
        Zero for the normal law; heavy tails have excess kurtosis above zero.
    largest : DataFrame
        The largest errors: period, error, in_deviations.
    reason : str
        Why it is not available; empty where it is.
    """

    FACE: ClassVar[tuple[str, ...]] = (
        "reading",
        "table",
        "largest",
    )

    item: str
    method: str
    scope: Literal["training", "holdout"]
    n: int = 0
    checks: tuple[Check, ...] = field(default=(), repr=False)
    skewness: float = math.nan
    excess_kurtosis: float = math.nan
    largest: pd.DataFrame = field(default_factory=pd.DataFrame, repr=False)
    reason: str = ""

    @property
    def table(self) -> pd.DataFrame:
        """A row per check: check, statistic, p_value, reading."""
        rows = [(one.check, one.statistic, one.p_value, one.reading) for one in self.checks]
        return pd.DataFrame(rows, columns=["check", "statistic", "p_value", "reading"])

    @property
    def reading(self) -> str:
        """What was missed, in words."""
        if self.reason:
            return f"{self.item}, {self.method}: no audit: {self.reason}."
        found = [one.reading for one in self.checks if one.failed]
        text = "; ".join(found) if found else "nothing was missed that these checks could find"
        return f"{self.item}, {self.method}, {self.scope}: {text}."


def audit_errors(
    errors: FloatArray,
    series: ItemHistory,
    first: int,
    method: str,
    scope: Literal["training", "holdout"] = "training",
    fitted: int = 0,
    standardised: bool = False,
    relative: bool = False,
) -> Audit:
    """Audit one-step errors in order of time.

    Parameters
    ----------
    errors : ndarray, shape (n,)
        Actual less forecast, NaN where there is none.
    series : ItemHistory
        Whose cadence names the periods.
    first : int
        Ordinal of the first error.
    method : str
    scope : {"training", "holdout"}
    fitted : int
        Coefficients of autocorrelation estimated, which the portmanteau test's degrees of freedom are corrected for.
    standardised : bool
        Whether errors are in deviations of a fit: their spread is then held against one.
    relative : bool
        Whether they are shares of the forecast.

    References
    ----------
    .. [1] Ljung and Box (1978); Jarque and Bera (1987), International Statistical Review 55, 163-172.
    .. [2] Breusch and Pagan (1979), Econometrica 47, 1287-1294, in the form of Koenker (1981), against time.
    """
    known = np.flatnonzero(~np.isnan(errors))
    e = errors[known]
    empty = Audit(item=series.item, method=method, scope=scope, n=int(e.size))
    if e.size < FEWEST:
        return replace(empty, reason=f"{e.size} errors, {FEWEST} needed")
    spread = deviation(e, ddof=1)
    actuals = series.actuals[~np.isnan(series.actuals)]
    if spread <= 1e-12 * (1.0 if standardised or relative else float(np.abs(actuals).max(initial=0.0))):
        return replace(empty, reason="the fit is exact")
    centred = (e - e.mean()) / spread  # what follows is free of scale, and squares of tiny errors are none
    skewness = float(np.mean(centred**3) / np.mean(centred**2) ** 1.5)
    kurtosis = float(np.mean(centred**4) / np.mean(centred**2) ** 2 - 3.0)
    phase = (first + known) % series.season_length
    checks = (
        _whiteness(errors[known[0] : known[-1] + 1], series.season_length, fitted),
        _bias(e, spread, relative=relative),
        _normality(e.size, skewness, kurtosis),
        _spread(centred, known.astype(np.float64)),
        *_season(e / spread, phase, series.season_length),
        *((_size(e),) if standardised else ()),
        _trend(e / spread, known.astype(np.float64)),
    )
    order = np.argsort(-np.abs(e), kind="stable")[:LARGEST]
    largest = pd.DataFrame(
        {
            "period": series.cadence.starts(first + known[order]),
            "error": e[order],
            "in_deviations": e[order] / spread,
        }
    )
    return replace(empty, checks=checks, skewness=skewness, excess_kurtosis=kurtosis, largest=largest)


def _whiteness(errors: FloatArray, season_length: int, fitted: int) -> Check:
    """Ljung and Box over two seasons (at least ten lags, at most a fifth of the errors)."""
    wanted = max(2 * season_length, 10) if season_length > 1 else 10
    lags = max(min(wanted, errors.size // 5), min(fitted + 1, errors.size - 2), 1)
    r, n = autocorrelations(errors, lags)
    _, test = portmanteau(np.nan_to_num(r), n, lags, fitted)
    tallest = int(np.nanargmax(np.abs(r[1:]))) + 1
    said = f"(most at lag {tallest}, {r[tallest]:.2f})"
    words = f"errors follow each other {said}: something regular was missed"
    if r[tallest] < 0:
        words = f"errors are answered by their opposite {said}: something is followed too closely"
    fine = f"no autocorrelation beyond chance over {lags} lags"
    return Check("Ljung-Box", test.statistic, test.p_value, words if test.p_value < SIGNIFICANCE else fine)


def _bias(e: FloatArray, spread: float, *, relative: bool) -> Check:
    """T test of the mean error."""
    ratio = float(e.mean() / (spread / math.sqrt(e.size)))
    p_value = float(2.0 * stdtr(e.size - 1, -abs(ratio)))
    side = "low" if ratio > 0 else "high"
    size = abs(float(e.mean()))
    words = f"forecasts are too {side} by {f'{number(100.0 * size)} %' if relative else number(size)} on average"
    return Check("bias", ratio, p_value, words if p_value < SIGNIFICANCE else "no bias beyond chance")


def _normality(n: int, skewness: float, kurtosis: float) -> Check:
    """Jarque and Bera's statistic, chi-square of two degrees in large samples."""
    statistic = n / 6.0 * (skewness**2 + kurtosis**2 / 4.0)
    p_value = float(chdtrc(2, statistic))
    parts = []
    if abs(skewness) > 0.5:
        parts.append(f"skewed to the {'right' if skewness > 0 else 'left'}")
    if kurtosis > 1.0:
        parts.append("heavy in the tails")
    shape = " and ".join(parts) or "not quite normal"
    words = f"errors are {shape}: normal intervals do not fit"
    return Check("Jarque-Bera", statistic, p_value, words if p_value < SIGNIFICANCE else "close to the normal law")


def _spread(centred: FloatArray, time: FloatArray) -> Check:
    """Koenker's form of Breusch and Pagan's test against time: n R^2 of the squared errors on a line."""
    squares = centred**2
    r = np.corrcoef(time, squares)[0, 1] if squares.std() > 0 else 0.0
    statistic = float(centred.size * r * r)
    p_value = float(chdtrc(1, statistic))
    words = "errors grow in time: consider a transform or a newer span"
    if r < 0:
        words = "errors shrink in time: consider a newer span"
    return Check("changing spread", statistic, p_value, words if p_value < SIGNIFICANCE else "an even spread")


def _season(e: FloatArray, phase: IntArray, season_length: int) -> tuple[Check, ...]:
    """F test of equal means over the phases of the season, where every phase was seen twice."""
    if season_length < 2 or np.bincount(phase, minlength=season_length).min() < 2:
        return ()
    means = np.bincount(phase, weights=e, minlength=season_length) / np.bincount(phase, minlength=season_length)
    whole = float(np.square(e - e.mean()).sum())
    left = max(float(np.square(e - means[phase]).sum()), ROUNDING * whole)
    degrees = e.size - season_length
    statistic = (whole - left) / (season_length - 1) / (left / degrees)
    p_value = float(fdtrc(season_length - 1, degrees, statistic))
    words = "a season remains in the errors: it was missed or has changed"
    return (Check("remaining season", statistic, p_value, words if p_value < SIGNIFICANCE else "no season remains"),)


def _size(z: FloatArray) -> Check:
    """Chi-square test of the squares against the deviations that the fit tells of; larger ones alone count."""
    statistic = float(np.square(z).sum())
    p_value = float(chdtrc(z.size, statistic))
    ratio = number(math.sqrt(statistic / z.size), 2)
    words = f"errors are {ratio} times as large as the fit tells of: its intervals are too narrow"
    return Check("spread as fitted", statistic, p_value, words if p_value < SIGNIFICANCE else "as large as fitted")


def _trend(e: FloatArray, time: FloatArray) -> Check:
    """T test of the slope of the errors in time."""
    x = time - time.mean()
    slope = float(x @ e / (x @ x))
    rest = e - e.mean() - slope * x
    left = max(float(rest @ rest), ROUNDING * float(np.square(e - e.mean()).sum()))
    ratio = slope / math.sqrt(left / (e.size - 2) / float(x @ x))
    p_value = float(2.0 * stdtr(e.size - 2, -abs(ratio)))
    words = f"errors {'rise' if slope > 0 else 'fall'} in time: the trend was missed"
    return Check("remaining trend", ratio, p_value, words if p_value < SIGNIFICANCE else "no trend remains")
