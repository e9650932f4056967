"""What to try next, from what the residuals of a fit still show and from its coefficients."""

from collections.abc import Sequence

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.audit import Audit
from veridex.core.diagnosis.portmanteau import autocorrelations
from veridex.core.readable import number

__all__ = ["next_steps"]

Z = 1.959963984540054
SHORT = 3
"""Lags that a plain order may be raised to."""

PRUNE = 0.05


def next_steps(
    name: str, audit: Audit, residuals: FloatArray, season_length: int, doubtful: Sequence[str]
) -> tuple[str, ...]:
    """Advise what to change, in the order of Box and Jenkins: what remains first, what is too much last.

    Parameters
    ----------
    name : str
        The method's name; orders are spoken of for `arima` alone.
    audit : Audit
    residuals : ndarray, shape (n,)
    season_length : int
    doubtful : sequence of str
        Coefficients that may well be zero.

    References
    ----------
    .. [1] Box, Jenkins, Reinsel and Ljung (2015), Time Series Analysis, 5th ed., chapter 8.
    """
    failed = {one.check for one in audit.checks if one.failed}
    steps = _what_remains(name, residuals, season_length) if "Ljung-Box" in failed else []
    if "bias" in failed:
        steps.append("The errors are off on average: let the method have a constant or a trend.")
    if "changing spread" in failed:
        steps.append(
            "The spread of the errors changes: try a newer span, or multiplicative errors where they are additive."
        )
    if name == "arima" and doubtful:
        steps.append(
            f"{' and '.join(doubtful)} {'is' if len(doubtful) == 1 else 'are'} not significant: try prune={PRUNE}."
        )
    return tuple(steps)


def _what_remains(name: str, residuals: FloatArray, season_length: int) -> list[str]:
    """Name the lags whose autocorrelation is beyond chance, and what takes it up."""
    known = np.flatnonzero(~np.isnan(residuals))
    errors = residuals[known[0] : known[-1] + 1]
    lags = min(max(season_length, SHORT), errors.size // 3)
    r, _ = autocorrelations(errors, lags)
    bound = Z / np.sqrt(known.size)
    steps = []
    if 1 < season_length <= lags and abs(r[season_length]) > bound:
        term = "Q=1 or P=1" if name == "arima" else "a season"
        remains = f"The season's lag remains (autocorrelation {number(float(r[season_length]), 2)})"
        steps.append(f"{remains}: add a seasonal term, {term}.")
    short = [lag for lag in range(1, min(SHORT, lags) + 1) if abs(r[lag]) > bound and lag != season_length]
    if short:
        at = max(short, key=lambda lag: abs(r[lag]))
        term = f"try q={at} or p={at}" if name == "arima" else "the method follows too slowly or too fast"
        steps.append(f"Lag {at} remains (autocorrelation {number(float(r[at]), 2)}): {term}.")
    return steps or ["Autocorrelation remains at longer lags: look at the correlogram of the residuals."]
