"""`correlogram`: autocorrelations and partial autocorrelations with their bounds, and what orders they suggest."""

from dataclasses import dataclass, field
from typing import ClassVar

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.counts import whole_number
from veridex.core.diagnosis.portmanteau import Portmanteau, autocorrelations, portmanteau
from veridex.core.diagnosis.restated import restated
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.notebook import Faced

__all__ = ["Correlogram", "correlogram", "partial_autocorrelations"]


Z95 = 1.959963984540054
LARGEST_ORDER = 3
"""Orders above are hardly ever worth their coefficients; a tall bar far out is named, not modelled."""


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Correlogram(Faced):
    """Autocorrelations of one series.

    Attributes
    ----------
    item : str
    n : int
        Known values.
    acf, pacf : ndarray, shape (lags,)
        At lags 1, 2, …
    bound : float
        White noise stays within plus or minus this 95 % of the time: 1.96 / sqrt(n).
    moving_bound : ndarray, shape (lags,)
        Bartlett's bound of the acf at each lag, if all autocorrelations beyond the lag before are zero.
    portmanteau : tuple of Portmanteau
        Box-Pierce and Ljung-Box over all lags.
    p, q, seasonal_p, seasonal_q : int
        Orders suggested; small ones are preferred.
    reading : str
        What the bars say, in words.
    reason : str
        Why it is not available; empty where it is.
    """

    FACE: ClassVar[tuple[str, ...]] = (
        "reading",
        "table",
    )

    item: str
    n: int = 0
    acf: FloatArray = field(default_factory=lambda: np.empty(0), repr=False)
    pacf: FloatArray = field(default_factory=lambda: np.empty(0), repr=False)
    bound: float = float("nan")
    moving_bound: FloatArray = field(default_factory=lambda: np.empty(0), repr=False)
    portmanteau: tuple[Portmanteau, ...] = field(default=(), repr=False)
    p: int = 0
    q: int = 0
    seasonal_p: int = 0
    seasonal_q: int = 0
    reading: str = ""
    reason: str = ""

    @property
    def table(self) -> pd.DataFrame:
        """A row per lag: lag, acf, pacf, bound, moving_bound."""
        return pd.DataFrame(
            {
                "lag": np.arange(1, self.acf.size + 1),
                "acf": self.acf,
                "pacf": self.pacf,
                "bound": self.bound,
                "moving_bound": self.moving_bound,
            }
        )


def correlogram(
    series: History | ItemHistory,
    lags: int | None = None,
    *,
    transform: str = "none",
    d: int = 0,
    D: int = 0,
    fitted: int = 0,
) -> Correlogram:
    """Autocorrelations and partial autocorrelations of a series, after a transform and differences if so asked.

    Parameters
    ----------
    series : ItemHistory or History of one item
    lags : int, optional
        By default two seasons, at least 12, at most half of the values.
    transform : {"none", "log", "box-cox"}
        Taken first.
    d, D : int
        Differences taken before, plain and over the season.
    fitted : int
        ARMA coefficients estimated before (of residuals): the portmanteau tests lose as many degrees of freedom.

    Returns
    -------
    Correlogram
        A series that is too short or constant has a reason instead. Unknown periods are skipped.

    Raises
    ------
    ParameterError
        If an argument is out of range, or several items were passed.

    References
    ----------
    .. [1] Box and Jenkins (1970), Time Series Analysis: Forecasting and Control.
    .. [2] Bartlett (1946), Supplement to the Journal of the Royal Statistical Society 8, 27-41.
    """
    one = only_item(series)
    if lags is not None:
        whole_number("lags", lags)
    found = restated(one, transform, d, D)
    if found.reason:
        return Correlogram(item=one.item, reason=found.reason)
    return of_values(found.values, one.item, one.season_length, lags, fitted)


def of_values(y: FloatArray, item: str, season_length: int, lags: int | None, fitted: int) -> Correlogram:
    """The correlogram of plain values."""
    known = y[~np.isnan(y)]
    if known.size < 5:
        return Correlogram(item=item, reason=f"too little history: {known.size} known values, 5 needed")
    if known.max() - known.min() <= 1e-12 * max(abs(float(known.max())), abs(float(known.min()))):
        return Correlogram(item=item, n=known.size, reason="all values are equal")
    wanted = max(2 * season_length, 12) if lags is None else lags
    m = min(wanted, known.size // 2 if lags is None else known.size - 1, y.size - 1)
    r, n = autocorrelations(y, m)
    pacf = partial_autocorrelations(r)
    with np.errstate(invalid="ignore"):
        before = np.concatenate(([0.0], np.cumsum(np.nan_to_num(r[1:]) ** 2)[:-1]))
        moving = Z95 * np.sqrt((1.0 + 2.0 * before) / n)
    bound = Z95 / np.sqrt(n)
    p, seasonal_p = _orders(pacf, np.full(m, bound), season_length)
    q, seasonal_q = _orders(r[1:], moving, season_length)
    made = Correlogram(
        item=item,
        n=n,
        acf=r[1:],
        pacf=pacf,
        bound=float(bound),
        moving_bound=moving,
        portmanteau=portmanteau(r, n, m, fitted) if np.isfinite(r).all() else (),
        p=p,
        q=q,
        seasonal_p=seasonal_p,
        seasonal_q=seasonal_q,
    )
    object.__setattr__(made, "reading", _read(made, season_length))
    return made


def partial_autocorrelations(r: FloatArray) -> FloatArray:
    """Partial autocorrelations at lags 1 to m from autocorrelations at lags 0 to m.

    By the recursion of Durbin (1960), Review of the International Statistical Institute 28, 233-244.
    """
    m = r.size - 1
    pacf, phi = np.empty(m), np.empty(m)
    variance = 1.0
    for k in range(m):
        reflection = (r[k + 1] - phi[:k] @ r[k:0:-1]) / variance if variance > 1e-12 else np.nan
        pacf[k] = reflection
        phi[:k] -= reflection * phi[:k][::-1]
        phi[k] = reflection
        variance *= 1.0 - reflection * reflection
    return pacf


def _orders(bars: FloatArray, bounds: FloatArray, season_length: int) -> tuple[int, int]:
    """The run of bars beyond their bounds from lag 1 on, at most three; and whether the season's bar is beyond it."""
    with np.errstate(invalid="ignore"):
        beyond = np.abs(bars) > bounds
    plain = 0
    while plain < min(LARGEST_ORDER, bars.size) and beyond[plain]:
        plain += 1
    if season_length > 1:
        plain = min(plain, season_length - 1)
    return plain, int(1 < season_length <= bars.size and bool(beyond[season_length - 1]))


def _read(c: Correlogram, season_length: int) -> str:
    """What the bars say: white noise or not, the orders, and bars that stand alone far out."""
    ljung_box = c.portmanteau[1] if c.portmanteau else None
    if ljung_box is not None and ljung_box.p_value >= 0.05 and c.p + c.q + c.seasonal_p + c.seasonal_q == 0:
        evidence = f"Ljung-Box p {ljung_box.p_value:.2f} over {ljung_box.lags} lags"
        return f"{c.item}: no autocorrelation beyond chance ({evidence})."
    # A pure form needs one kind of order; the one with fewer coefficients is tried first.
    plain = _one_kind(c.p, c.q, "p", "q")
    seasonal = _one_kind(c.seasonal_p, c.seasonal_q, "P", "Q")
    parts = [text for text in (plain, seasonal and f"{seasonal} at the season's lag {season_length}") if text]
    text = (
        f"{c.item}: try {' and '.join(parts)}." if parts else f"{c.item}: no order suggests itself at the first lags."
    )
    lone = [
        lag
        for lag in range(1, c.acf.size + 1)
        if abs(c.acf[lag - 1]) > c.moving_bound[lag - 1]
        and lag > LARGEST_ORDER
        and (season_length == 1 or lag % season_length)
    ]
    if lone:
        shown = ", ".join(map(str, lone[:5])) + (" …" if len(lone) > 5 else "")
        text += (
            f" Bars beyond the bounds at lag {shown} do not ask for so many coefficients: one in twenty is by chance."
        )
    return text


def _one_kind(partial: int, plain: int, p: str, q: str) -> str:
    if partial == 0 and plain == 0:
        return ""
    if partial == 0 or (plain and plain < partial):
        return f"{q} = {plain}"
    if plain == 0 or partial < plain:
        return f"{p} = {partial}"
    return f"{p} = {partial} or {q} = {plain}"
