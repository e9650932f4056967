"""The outcome of one test."""

import math
from dataclasses import dataclass

__all__ = ["Outcome"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """One row of a table of tests.

    Attributes
    ----------
    test : str
        Name and deterministic part, ``"Dickey-Fuller (level)"``.
    null : str
        What a small p-value speaks against.
    statistic, p_value : float
        Without unit; NaN where not available.
    lags : int or None
        Lagged differences, or the window of the long-run variance.
    critical : tuple of float
        Values at 1, 5 and 10 percent.
    n : int
        Values that entered the regression.
    reason : str
        Why it is not available; empty where it is.
    place : int or None
        Position at which a break is most likely, where the test looks for one.
    """

    test: str
    null: str
    statistic: float = float("nan")
    p_value: float = float("nan")
    lags: int | None = None
    critical: tuple[float, float, float] = (float("nan"),) * 3
    n: int = 0
    reason: str = ""
    place: int | None = None

    def rejects(self, significance: float) -> bool:
        """Whether the null is rejected at a significance, in percent.

        By the p-value; a test for which only critical values are published knows 1, 5 and 10 %, and for any other
        significance takes the next smaller of them.
        """
        if not math.isnan(self.p_value):
            return self.p_value < significance / 100.0
        level = max((i for i, known in enumerate((1, 5, 10)) if known <= significance), default=0)
        return self.statistic < self.critical[level]
