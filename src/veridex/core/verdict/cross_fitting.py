"""The forecasts of a choice at past origins, each made with weights that have not seen its origin."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri

from veridex.core.arrays import FloatArray
from veridex.core.backtest.trial import Trial
from veridex.core.calibration.crossfit import Crossfit
from veridex.core.methods.made_of.combination import joined
from veridex.core.methods.method import Method
from veridex.core.verdict.evidence import Evidence

__all__ = ["cross_fitted"]


def cross_fitted(trial: Trial, evidence: Evidence, methods: Sequence[Method], weights: FloatArray | str) -> Crossfit:
    """Join the forecasts of methods at each origin used.

    Parameters
    ----------
    weights : ndarray, shape (O, methods), or str
        The weights at each origin, or the word of a combination that says how to join them.
    """
    one, at = trial[evidence.item.item], np.flatnonzero(evidence.route.origins)
    places = [trial.method_index(entered) for entered in methods]

    def together(array: NDArray[Any]) -> FloatArray:
        """Of shape (methods, origins, ...), joined along the first axis."""
        stack = np.asarray(array[places][:, at], dtype=np.float64)
        if isinstance(weights, str):
            return joined(stack, weights)
        shares: FloatArray = weights.T.reshape(weights.T.shape + (1,) * (stack.ndim - 2))
        # Where a member has no weight it need not have a forecast.
        return np.asarray(np.where(shares > 0.0, shares * stack, 0.0).sum(axis=0))

    lower, upper = together(one.lower), together(one.upper)
    std_error = together(one.std_error) if one.keep == "all" else _spread(lower, upper, trial.levels)
    return Crossfit(
        origins=one.origins[at],
        actuals=one.actuals[at],
        points=together(one.points),
        std_error=std_error,
        lower=lower,
        upper=upper,
        levels=trial.levels,
    )


def _spread(lower: FloatArray, upper: FloatArray, levels: tuple[float, ...]) -> FloatArray:
    """Standard errors from the widest bounds, where a trial did not keep them."""
    if not levels:
        return np.full((lower.shape[0], lower.shape[2]), np.nan)
    return np.asarray((upper[:, -1] - lower[:, -1]) / (2.0 * ndtri(0.5 + levels[-1] / 200.0)))
