"""What a single origin tells: one-step forecasts over its holdout with the parameters of the origin."""

from dataclasses import dataclass, replace

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.backtest.results import Results
from veridex.core.diagnosis.audit import Audit, audit_errors
from veridex.core.fitted.fitted import fit
from veridex.core.methods.fold.status import Status
from veridex.core.reading.neighbours import lent_now

__all__ = ["Static", "audit_of_one", "static_of"]

DRIVEN = "a trial does not keep drivers, so one-step forecasts of a method that uses them cannot be made again"


@dataclass(frozen=True, slots=True, eq=False)
class Static:
    """One-step forecasts of one origin's holdout, each new actual used, with the parameters of the origin.

    Attributes
    ----------
    forecasts : ndarray, shape (h,)
    scores : ndarray, shape (h,)
        Their errors on the scale that is modelled, in standard deviations of the fit.
    reason : str
        Why there are none; empty where there are.
    """

    forecasts: FloatArray
    scores: FloatArray
    reason: str = ""


def static_of(trial: Results, item: str, m: int, o: int) -> Static:
    """Fit a method of the lineup as at an origin, and carry the fit on over what came."""
    one, series, method = trial[item], trial.history[item], trial.lineup[m]
    horizon = one.points.shape[-1]
    nothing = np.full(horizon, np.nan)
    if trial.driven and not method.alone:
        return Static(nothing, nothing, DRIVEN)
    stop = int(one.origins[o]) + 1 - series.start
    known = series.first(stop)
    if trial.scheme.training_window is not None:
        known = known.last(trial.scheme.training_window)
    # What was tidied by then stays as it was then; what came after is as it was recorded.
    known = replace(known, raw=None, rules=None)
    came = np.concatenate((known.values, series.actuals[stop : stop + horizon]))
    lent = lent_now(trial.history.until(series.periods[stop - 1]), method.borrows).get(item)
    fitted = fit(known, method, borrowed=lent)
    if not fitted.available:
        return Static(nothing, nothing, fitted.reason)
    later = replace(known, values=came, censored=None, parts=None)
    carried = fitted.apply(later)
    shocks = fitted.innovations[~np.isnan(fitted.innovations)]
    degrees = max(shocks.size - fitted.parameters, 1)
    spread = float(np.sqrt(np.square(shocks).sum() / degrees)) if shocks.size else np.nan
    forecasts, scores = nothing.copy(), nothing.copy()
    forecasts[: came.size - len(known)] = carried.fitted_values[len(known) :]
    with np.errstate(all="ignore"):
        scores[: came.size - len(known)] = carried.innovations[len(known) :] / spread
    return Static(forecasts, scores)


def audit_of_one(trial: Results, item: str, m: int, o: int) -> Audit:
    """Audit all steps of a single holdout, standardised.

    Errors of many steps from one origin are sums of the shocks on the way, and no test holds for them as they are.
    Taken apart, which is what one-step forecasts with the parameters of the origin do, and divided by the deviation of
    the fit, they are independent and of spread one where the model holds.
    """
    series, method = trial.history[item], trial.lineup[m].text
    if trial[item].status[m, o] == Status.NO_FOLD:
        return Audit(item=item, method=method, scope="holdout", reason="no origin was tested")
    static = static_of(trial, item, m, o)
    if static.reason:
        return Audit(item=item, method=method, scope="holdout", reason=static.reason)
    first = int(trial[item].origins[o]) + 1
    found = audit_errors(static.scores, series, first, method, "holdout", standardised=True)
    if found.reason:
        return found
    errors = trial[item].actuals[o] - static.forecasts
    places = series.cadence.ordinals(found.largest["period"].to_numpy()) - first
    return replace(found, largest=found.largest.assign(error=errors[places]))
