"""`stationarity`: two tests with opposite nulls, and what they say together."""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import pandas as pd

from veridex.core.diagnosis.dickey_fuller import Deterministic, dickey_fuller
from veridex.core.diagnosis.kpss import kpss
from veridex.core.diagnosis.outcome import Outcome
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.errors import ParameterError

__all__ = ["Stationarity", "stationarity"]


def stationarity(
    series: History | ItemHistory,
    lags: int | None = None,
    deterministic: Deterministic = "level",
    significance: float = 5,
) -> "Stationarity":
    """Test a series for a unit root and for stationarity, and read both together.

    Parameters
    ----------
    series : ItemHistory or History of one item
    lags : int, optional
        Lagged changes of the Dickey-Fuller regression and window of the KPSS variance. By default the first is
        chosen by AIC up to Schwert's bound and the second is int(4 (n / 100)^(1/4)).
    deterministic : {"none", "level", "trend"}
        What the series is stationary around, if it is. KPSS has no form without a level; with ``none`` it
        tests around the level.
    significance : float
        Of both tests, in percent.

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
    if not 0 < significance < 50:
        raise ParameterError("significance", str(significance), "it is given in percent, usually 1, 5 or 10")
    if lags is not None and lags < 0:
        raise ParameterError("lags", str(lags), "it is a whole number from 0 on")
    around = "trend" if deterministic == "trend" else "level"
    known = np.flatnonzero(~np.isnan(one.values))
    y = one.values[known[0] : known[-1] + 1].copy() if known.size else np.empty(0)
    if np.isnan(y).any() or y.size == 0:
        reason = "no known value" if y.size == 0 else "unknown periods inside the series; the tests cannot skip them"
        outcomes = (
            Outcome(test=f"Dickey-Fuller ({deterministic})", null="unit root", reason=reason),
            Outcome(test=f"KPSS ({around})", null="stationary", reason=reason),
        )
    else:
        outcomes = (
            dickey_fuller(y, lags=lags, deterministic=deterministic),
            kpss(y, lags=lags, deterministic="trend" if around == "trend" else "level"),
        )
    return Stationarity(item=one.item, deterministic=deterministic, significance=significance, outcomes=outcomes)


@dataclass(frozen=True, eq=False, kw_only=True)
class Stationarity:
    """The tests of one series.

    Attributes
    ----------
    item : str
    deterministic : str
    significance : float
        In percent.
    outcomes : tuple of Outcome
        Dickey-Fuller, KPSS.
    """

    item: str
    deterministic: str
    significance: float
    outcomes: tuple[Outcome, Outcome] = field(repr=False)

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
            return f"{outcome.null} rejected at {self.significance:g} %"
        return f"{outcome.null} not rejected at {self.significance:g} %"

    @property
    def reading(self) -> str:
        """The joint verdict in words."""
        unit_root, stationary = self.outcomes
        around = {"none": "zero", "level": "a level", "trend": "a straight trend"}[self.deterministic]
        at = f"at {self.significance:g} %"
        if unit_root.reason or stationary.reason:
            parts = [f"{o.test}: {o.reason}" for o in self.outcomes if o.reason]
            return f"{self.item}: no joint reading ({'; '.join(parts)})."
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
        return f"{self.item}: {text}"
