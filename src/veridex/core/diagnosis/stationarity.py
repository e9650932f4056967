"""`stationarity`: tests with opposite nulls, and what they say together."""

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import ClassVar, Literal

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray, near_one
from veridex.core.counts import whole_number
from veridex.core.diagnosis.canova_hansen import canova_hansen
from veridex.core.diagnosis.dickey_fuller import Choose, Deterministic, dickey_fuller
from veridex.core.diagnosis.gls_dickey_fuller import gls_dickey_fuller
from veridex.core.diagnosis.kpss import kpss
from veridex.core.diagnosis.long_run import automatic_window
from veridex.core.diagnosis.outcome import Outcome
from veridex.core.diagnosis.phillips_perron import phillips_perron
from veridex.core.diagnosis.restated import restated
from veridex.core.diagnosis.significance import checked_significance
from veridex.core.diagnosis.zivot_andrews import zivot_andrews
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.notebook import Faced
from veridex.errors import ParameterError

__all__ = ["Stationarity", "stationarity"]


def stationarity(
    series: History | ItemHistory,
    lags: int | Literal["automatic"] | None = None,
    deterministic: Deterministic = "level",
    significance: float = 5,
    choose: Choose = "aic",
    *,
    transform: str = "none",
    d: int = 0,
    D: int = 0,
) -> "Stationarity":
    """Test a series for a unit root and for stationarity, and read both together.

    Augmented Dickey-Fuller and KPSS make the joint reading. Beside them stand Phillips-Perron, Dickey-Fuller after
    detrending by generalised least squares, Zivot-Andrews, which allows a break, and where there is a season
    Canova-Hansen.

    Parameters
    ----------
    series : ItemHistory or History of one item
    lags : int or "automatic", optional
        Lagged changes of the Dickey-Fuller regressions and window of the long-run variances. By default the first is
        chosen up to Schwert's bound and the second is int(4 (n / 100)^(1/4)), or with ``"automatic"`` what the series'
        own autocorrelations ask for (Newey and West, 1994).
    deterministic : {"none", "level", "trend"}
        What the series is stationary around, if it is. KPSS has no form without a level; with ``none`` it
        tests around the level.
    significance : float
        Of all tests, in percent.
    choose : {"aic", "bic", "t"}
        How Dickey and Fuller's lags are chosen.
    transform : {"none", "log", "box-cox"}
        What is tested are values after it.
    d, D : int
        And after so many differences, those over the season first.

    Returns
    -------
    Stationarity
        A series that is constant, too short or has unknown periods inside gives NaN with the reason.

    Raises
    ------
    ParameterError
        If an argument is out of range, or several items were passed.
    """
    one = only_item(series)
    if deterministic not in ("none", "level", "trend"):
        raise ParameterError("deterministic", repr(deterministic), "it is 'none', 'level' or 'trend'")
    checked_significance(significance)
    if lags is not None and lags != "automatic":
        whole_number("lags", lags, 0)
    if choose not in ("aic", "bic", "t"):
        raise ParameterError("choose", repr(choose), "it is 'aic', 'bic' or 't'")
    made = restated(one, transform, d, D)
    known = np.flatnonzero(~np.isnan(made.values))
    y = made.values[known[0] : known[-1] + 1].copy() if known.size else np.empty(0)
    if not np.isnan(y).any() and y.size:
        outcomes = _tested(y, lags, deterministic, choose, one.season_length)
    else:
        reason = "no known value" if y.size == 0 else "unknown periods inside the series; the tests cannot skip them"
        reason = made.reason or reason
        blank = _tested(np.empty(0), None, deterministic, choose, one.season_length)
        outcomes = tuple(Outcome(test=outcome.test, null=outcome.null, reason=reason) for outcome in blank)
    first = one.start + made.lost + (int(known[0]) if known.size else 0)
    return Stationarity(
        item=one.item,
        deterministic=deterministic,
        significance=significance,
        of=made.words,
        outcomes=outcomes,
        period_of=lambda place: one.cadence.text(first + place),
    )


def _tested(
    y: FloatArray,
    lags: int | Literal["automatic"] | None,
    deterministic: Deterministic,
    choose: Choose,
    season_length: int,
) -> tuple[Outcome, ...]:
    """All tests, those of the joint reading first."""
    y = near_one(y)
    around: Literal["level", "trend"] = "trend" if deterministic == "trend" else "level"
    changes, window = (None, automatic_window(y, around)) if lags == "automatic" else (lags, lags)
    outcomes = [
        dickey_fuller(y, lags=changes, deterministic=deterministic, choose=choose),
        kpss(y, lags=window, deterministic=around),
        phillips_perron(y, lags=window, deterministic=deterministic),
        gls_dickey_fuller(y, lags=changes, deterministic=around),
        zivot_andrews(y, lags=changes, breaks="both" if around == "trend" else "level"),
    ]
    if season_length > 1:
        outcomes.append(canova_hansen(y, season_length, lags=window))
    return tuple(outcomes)


@dataclass(frozen=True, eq=False, kw_only=True)
class Stationarity(Faced):
    """The tests of one series.

    Attributes
    ----------
    item : str
    deterministic : str
    significance : float
        In percent.
    of : str
        What was done to the series before; empty where nothing was.
    outcomes : tuple of Outcome
        Dickey-Fuller, KPSS, then the others.
    period_of : callable
        The period at a position, as text.
    """

    FACE: ClassVar[tuple[str, ...]] = (
        "reading",
        "table",
    )

    item: str
    deterministic: str
    significance: float
    of: str = ""
    outcomes: tuple[Outcome, ...] = field(repr=False)
    period_of: Callable[[int], str] = field(repr=False)

    @cached_property
    def table(self) -> pd.DataFrame:
        """A row per test: test, statistic, p_value, lags, critical_1, critical_5, critical_10, reading, null, n."""
        rows = [
            {
                "test": outcome.test,
                "statistic": outcome.statistic,
                "p_value": outcome.p_value,
                "lags": outcome.lags,
                **dict(zip(("critical_1", "critical_5", "critical_10"), outcome.critical, strict=True)),
                "reading": self._one(outcome),
                "null": outcome.null,
                "n": outcome.n,
            }
            for outcome in self.outcomes
        ]
        return pd.DataFrame(rows).astype({"lags": "Int64"})

    def _one(self, outcome: Outcome) -> str:
        if outcome.reason:
            return f"not available: {outcome.reason}"
        if outcome.rejects(self.significance):
            broken = "" if outcome.place is None else f"; break in {self.period_of(outcome.place)}"
            return f"{outcome.null} rejected at {self.significance:g} %{broken}"
        return f"{outcome.null} not rejected at {self.significance:g} %"

    @property
    def reading(self) -> str:
        """The joint verdict in words."""
        unit_root, stationary = self.outcomes[:2]
        around = {"none": "zero", "level": "a level", "trend": "a straight trend"}[self.deterministic]
        at = f"at {self.significance:g} %"
        if unit_root.reason or stationary.reason:
            parts = [f"{o.test}: {o.reason}" for o in (unit_root, stationary) if o.reason]
            return f"{self.item}{f', {self.of}' if self.of else ''}: no joint reading ({'; '.join(parts)})."
        rejected = unit_root.rejects(self.significance), stationary.rejects(self.significance)
        text = {
            (
                True,
                False,
            ): f"stationary around {around}: the unit root is rejected {at} and stationarity is not. "
            "No differencing is needed.",
            (
                False,
                True,
            ): f"not stationary: stationarity around {around} is rejected {at} and a unit root is not. "
            "Difference once and test again.",
            (
                True,
                True,
            ): f"both nulls are rejected {at}: neither a plain unit root nor stationary around {around}. "
            "Look for a break, a season, a changing spread"
            + (" or a trend (deterministic='trend')." if self.deterministic != "trend" else "."),
            (False, False): f"neither null is rejected {at}: the series is too short or too noisy to tell. "
            "Prefer methods that work either way, and let the backtest decide.",
        }[rejected]
        return f"{self.item}{f', {self.of}' if self.of else ''}: {text}"
