"""Labels of estimates: they say what an estimate multiplies, and over how many periods."""

from veridex.core.periods.cadence import Cadence

__all__ = ["POLYNOMIALS", "change_label", "constant_label", "lag_label"]

POLYNOMIALS = ("AR", "MA", "seasonal AR", "seasonal MA")
"""The four polynomials of an ARIMA model, in the order in which their coefficients are kept."""


def lag_label(polynomial: str, lag: int) -> str:
    """What a coefficient of a polynomial multiplies.

    Examples
    --------
    >>> lag_label("seasonal AR", 12)
    'seasonal AR lag 12'
    """
    return f"{polynomial} lag {lag}"


def change_label(cadence: Cadence) -> str:
    """The slope of a line: a change per month, week, ..."""
    return f"change per {cadence.noun}"


def constant_label(d: int, D: int, season_length: int, cadence: Cadence) -> str:
    """What the constant of an ARIMA model is the mean of: demand, its change, or the change of its change."""
    over = f"change over {cadence.length(season_length)}"
    if d + D == 0:
        return "mean"
    if d + D == 1:
        return over if D else change_label(cadence)
    return f"{change_label(cadence)} of the {over if D else 'change'}"
