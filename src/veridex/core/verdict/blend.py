"""The rule `blend`: a skill-weighted mean of a shortlist, its weights frozen as numbers.

A weight falls with the eighth power of a method's error relative to the shortlist's, whose logarithm is drawn towards
the mean of the portfolio's other items, the more the fewer origins there are. With hardly any origins it is the equal
mean of the middle three.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from veridex.core.backtest.trial import Trial
from veridex.core.verdict.evidence import Entry, ItemEvidence, gather
from veridex.core.verdict.single import Choice, choose_single

__all__ = ["SHORTLIST", "blend_choices"]

FloatArray = NDArray[np.float64]

SHORTLIST = (
    "seasonal-naive",
    "smoothing",
    "arima",
    "holt-winters season=additive damped=yes",
    "holt damped=yes",
    "theta",
    "naive",
)
"""Methods that a blend may hold; the two for series without a season only there."""

WITHOUT_SEASON = ("holt damped=yes", "naive")
POWER = 8.0
"""Weights are the relative error to minus this power."""

PRIOR_ORIGINS = 24.0
"""The portfolio's other items count as so many origins."""

FEWEST_ORIGINS = 3
SMALLEST = 0.005
"""Shares below this are left out."""


def blend_choices(trial: Trial) -> tuple[Choice, ...]:
    """A blend for each item of whose shortlist two methods or more were tested on every cell; else the best single one.

    Where the trial had drivers or events, methods that use them stay out: a combination takes none.
    """
    evidence = [gather(trial, i) for i in range(len(trial.history))]
    unseasonal = trial.history.cycle_length == 1
    wanted = [text for text in SHORTLIST if unseasonal or text not in WITHOUT_SEASON]
    entered = {one.text for one in trial.lineup if not (trial.driven and one.family.takes_drivers)}
    texts = [text for text in wanted if text in entered]
    logs = np.array([_relative_logs(one, texts) for one in evidence]).reshape(len(evidence), len(texts))
    priors = _others_means(logs, [one.item for one in evidence])
    return tuple(_choice(trial, i, one, texts, priors[i]) for i, one in enumerate(evidence))


def _relative_logs(evidence: ItemEvidence, texts: list[str]) -> FloatArray:
    """Logarithms of the shortlist's errors over their geometric mean; NaN where a method was not tested."""
    errors = {entry.method: entry.error for entry in evidence.entries if not entry.missing}
    return _centred(np.array([errors.get(text, np.nan) for text in texts]))


def _centred(errors: FloatArray) -> FloatArray:
    logs = np.log(np.maximum(errors, 1e-12))
    known = logs[~np.isnan(logs)]
    return logs - known.mean() if known.size else logs


def _others_means(logs: FloatArray, items: list[str]) -> FloatArray:
    """Per item and method the mean over the other items; zero where there are none.

    Items are summed in the order of their names, so that the bits do not depend on the order they came in.
    """
    order = np.argsort(np.array(items, dtype=object), kind="stable")
    known = ~np.isnan(logs)
    total, count = np.zeros(logs.shape[1]), np.zeros(logs.shape[1])
    for i in order:
        total += np.where(known[i], logs[i], 0.0)
        count += known[i]
    others = count - known
    return np.where(others > 0, (total - np.where(known, logs, 0.0)) / np.maximum(others, 1), 0.0)


def _weights(errors: FloatArray, prior: FloatArray, origins: int) -> FloatArray:
    """Shares of methods by their errors and the prior; zero for a method that was not tested."""
    share = origins / (origins + PRIOR_ORIGINS)
    logs = share * _centred(errors) + (1.0 - share) * prior
    logs = np.where(np.isnan(logs), np.inf, logs)
    raw = np.exp(-POWER * (logs - logs.min()))
    weights = raw / raw.sum()
    weights = np.where(weights < SMALLEST, 0.0, weights)
    return np.asarray(weights / weights.sum())


def _choice(trial: Trial, i: int, evidence: ItemEvidence, texts: list[str], prior: FloatArray) -> Choice:
    """The blend of one item with its cross-fitted error, or the best single method where there is nothing to blend."""
    single = choose_single(evidence, trial.benchmarks)
    tested = {entry.method for entry in evidence.entries if not entry.missing}
    members = [text for text in texts if text in tested]
    if len(members) < 2:
        return single
    kept = [texts.index(text) for text in members]
    places = [trial.method_index(text) for text in members]
    sizes = _origin_errors(trial, i, places, evidence.measure)
    origins = sizes.shape[1]
    if origins < FEWEST_ORIGINS:
        name = f"combination of=[{', '.join(members)}] weights=middle"
        shares = [np.full(len(members), 1.0 / len(members))] * origins
    else:
        final = _weights(sizes.mean(axis=1), prior[kept], origins)
        held = [(text, weight) for text, weight in zip(members, final, strict=True) if weight > 0.0]
        name = held[0][0]
        if len(held) > 1:
            listed = ", ".join(text for text, _ in held)
            name = f"combination of=[{listed}] weights=[{', '.join(f'{weight:.4f}' for _, weight in held)}]"
        # Each origin is forecast with weights that have not seen it.
        without = [np.delete(sizes, o, axis=1).mean(axis=1) for o in range(origins)]
        shares = [_weights(errors, prior[kept], origins - 1) for errors in without]
    error, coverage = _cross_fitted(trial, i, places, shares, evidence)
    parameters = float(np.nansum([entry.parameters for entry in evidence.entries if entry.method in members]))
    winner = Entry(method=name, error=error, parameters=parameters, coverage=coverage, missing="")
    return replace(single, winner=winner, best_single=single.winner)


def _tested_origins(trial: Trial, i: int) -> NDArray[np.int64]:
    return np.flatnonzero((~np.isnan(trial.arrays.actuals[i])).any(axis=1))


def _origin_errors(trial: Trial, i: int, places: list[int], measure: str) -> FloatArray:
    """Mean absolute (scaled) error of each method at each tested origin, shape (methods, origins)."""
    a = trial.arrays
    at = _tested_origins(trial, i)
    sizes = np.abs(a.actuals[i, at] - a.points[i, places][:, at])
    if measure == "mase":
        sizes = sizes / a.scales[i, at, 0][:, None]
    return np.asarray(np.nanmean(sizes, axis=2))


def _cross_fitted(
    trial: Trial, i: int, places: list[int], shares: list[FloatArray], evidence: ItemEvidence
) -> tuple[float, tuple[float, ...]]:
    """Error and coverage of blends whose weights have not seen the origin that they forecast from."""
    a = trial.arrays
    at = _tested_origins(trial, i)
    errors: list[float] = []
    inside: list[list[bool]] = [[] for _ in trial.levels]
    for weights, o in zip(shares, at, strict=True):
        actual = a.actuals[i, o]
        known = ~np.isnan(actual)
        size = np.abs(actual - weights @ a.points[i, places, o])[known]
        scale = a.scales[i, o, 0] if evidence.measure == "mase" else 1.0
        errors.append(float(size.mean() / scale))
        for j in range(len(trial.levels)):
            lower, upper = weights @ a.lower[i, places, o, j], weights @ a.upper[i, places, o, j]
            inside[j] += ((lower <= actual) & (actual <= upper))[known].tolist()
    return float(np.mean(errors)), tuple(100.0 * float(np.mean(one)) for one in inside)
