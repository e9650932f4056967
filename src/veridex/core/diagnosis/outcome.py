"""The outcome of one test."""

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
    """

    test: str
    null: str
    statistic: float = float("nan")
    p_value: float = float("nan")
    lags: int | None = None
    critical: tuple[float, float, float] = (float("nan"),) * 3
    n: int = 0
    reason: str = ""

    def rejects(self, significance: float) -> bool:
        """Whether the p-value is below the significance, in percent."""
        return self.p_value < significance / 100.0
