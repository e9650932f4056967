"""What was forecast at past origins, and what came: of a method of a trial, or of what a verdict would have chosen."""

from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.backtest.failed import reason_of
from veridex.core.backtest.trial import Trial
from veridex.core.history.item import ItemHistory
from veridex.core.laws.components import FIRST, KIND, NUMBERS, WEIGHT, Kind
from veridex.core.laws.laws import Laws
from veridex.core.methods.fold.status import Status
from veridex.core.methods.method import Method
from veridex.core.methods.short_names import short_name
from veridex.core.scoring.levels import shares_of
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.verdict import Verdict
from veridex.errors import ParameterError

__all__ = ["Tested", "as_tested", "decided_then", "origin_place", "trial_of"]


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Tested:
    """Forecasts of one item at past origins.

    Attributes
    ----------
    name : str
        Whose they are.
    series : ItemHistory
    origins : ndarray of int, shape (O,)
        Ordinals of the last known periods.
    actuals, points : ndarray, shape (O, H)
    lower, upper : ndarray, shape (levels, O, H)
        By the laws as they were forecast, the narrowest level first.
    levels : tuple of float
    reason : str
        Why there is no forecast at all; empty where there is.
    bands : str
        What the bounds are read off.
    """

    name: str
    series: ItemHistory
    origins: IntArray
    actuals: FloatArray
    points: FloatArray
    lower: FloatArray
    upper: FloatArray
    levels: tuple[float, ...]
    reason: str = ""
    bands: str = "interval, as it was forecast"

    @property
    def horizon(self) -> int:
        """The longest lead time."""
        return int(self.points.shape[1])

    def last(self) -> int:
        """The place of the last origin that has a forecast and an actual, else of the last."""
        return origin_place(self.origins, self._both, self.series, None)

    def at(self, origin: object) -> int:
        """The place of an origin, given as a period; of the last one where none is given.

        Raises
        ------
        ParameterError
            If it was not tested.
        """
        return origin_place(self.origins, self._both, self.series, origin)

    @property
    def _both(self) -> BoolArray:
        """Origins that have a forecast and an actual."""
        return np.asarray((~np.isnan(self.points) & ~np.isnan(self.actuals)).any(axis=1))

    def held(self, where: int | slice, level: int = -1) -> float:
        """Percent of actuals inside the bounds of a level, at some of the origins; NaN where none is known."""
        y, low, high = self.actuals[where], self.lower[level][where], self.upper[level][where]
        known = ~np.isnan(y + low + high)
        if not known.any():
            return float("nan")
        return float(100.0 * np.mean((y[known] >= low[known]) & (y[known] <= high[known])))


def origin_place(origins: IntArray, both: BoolArray, series: ItemHistory, origin: object) -> int:
    """The place of an origin, given as a period; of the last that has a forecast and an actual where none is given.

    Raises
    ------
    ParameterError
        If it was not tested.
    """
    if origin is None:
        able = np.flatnonzero(both)
        return int(able[-1]) if able.size else max(origins.size - 1, 0)
    found = np.flatnonzero(origins == series.cadence.period(origin))
    if not found.size:
        text = series.cadence.text
        known = f"{text(int(origins[0]))} to {text(int(origins[-1]))}" if origins.size else "none"
        raise ParameterError(
            "origin", repr(origin), f"origins that were tested: {known}; the last known period of each"
        )
    return int(found[0])


def trial_of(source: Trial | Verdict) -> Trial:
    """The trial, or that of a verdict."""
    return source.trial if isinstance(source, Verdict) else source


def as_tested(source: Trial | Verdict, item: str, method: str | Method | None, *, last: bool = False) -> Tested:
    """What a method forecast at each origin; without one what the verdict would have, or the first one entered.

    With `last` of the last origin that has a forecast and an actual alone, where the method is one of the lineup.
    """
    trial = trial_of(source)
    if method is None and isinstance(source, Verdict):
        found = decided_then(trial, source.choice(item))
        if found is not None and source.choice(item).joined:
            return found
        winner = source.choice(item).winner
        if winner is not None and winner.method not in trial.lineup and found is not None:
            return found
        method = winner.method if winner is not None and winner.method in trial.lineup else None
    m = trial.method_index(trial.entered[0] if method is None else method)
    one, levels = trial[item], tuple(sorted(trial.levels or (80.0, 95.0)))
    series, tried = trial.history[item], np.flatnonzero(one.status[m] != Status.NO_FOLD)
    if last and tried.size:
        both = np.asarray((~np.isnan(one.points[m]) & ~np.isnan(one.actuals)).any(axis=1))
        tried = tried[[origin_place(one.origins[tried], both[tried], series, None)]]
    where = np.ix_(np.array([m]), tried)
    bounds = np.moveaxis(one.laws_at(where).quantile(shares_of(levels))[0], -1, 0)
    lower, upper = bounds.reshape(2, len(levels), *one.points[m][tried].shape)
    return Tested(
        name=short_name(trial.lineup[m]),
        series=series,
        origins=one.origins[tried],
        actuals=one.actuals[tried],
        points=one.points[m][tried],
        lower=lower,
        upper=upper,
        levels=levels,
        reason=reason_of(trial, m, item) if np.isnan(one.points[m]).all() else "",
    )


def decided_then(trial: Trial, choice: Choice) -> Tested | None:
    """What a verdict would have forecast at each origin by what was known there; None where nothing was decided."""
    fit, winner = choice.hindcast, choice.winner
    if fit is None or winner is None:
        return None
    levels = tuple(sorted(trial.levels or (80.0, 95.0)))
    rows = np.zeros((*fit.points.shape, 1, NUMBERS))
    rows[..., 0, WEIGHT], rows[..., 0, KIND] = 1.0, Kind.NORMAL
    rows[..., 0, FIRST], rows[..., 0, FIRST + 1] = fit.points, fit.spread
    rows[np.isnan(fit.points)] = np.nan
    laws = Laws.of(rows, fit.supports[:, None, 0], fit.supports[:, None, 1] > 0.0)
    bounds = np.moveaxis(laws.quantile(shares_of(levels)), -1, 0).reshape(2, len(levels), *fit.points.shape)
    name = "the blend, as decided then" if choice.joined else short_name(winner.method)
    return Tested(
        name=name,
        series=trial.history[choice.item],
        origins=fit.origins,
        actuals=fit.actuals,
        points=fit.points,
        lower=bounds[0],
        upper=bounds[1],
        levels=levels,
        bands="normal interval by the mean and spread of its law then",
    )
