"""What was forecast at past origins, and what came: of a method of a trial, or of what a verdict would have chosen."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.backtest.failed import reason_of
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.laws.components import FIRST, KIND, NUMBERS, WEIGHT, Kind
from veridex.core.laws.laws import Laws
from veridex.core.methods.fold.status import Status
from veridex.core.methods.method import Method
from veridex.core.methods.short_names import short_name
from veridex.core.scoring.levels import shares_of
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.evidence import Entry
from veridex.core.verdict.verdict import Verdict
from veridex.errors import ParameterError

__all__ = ["BLEND", "Tested", "as_tested", "last_tested", "origin_place", "trial_of"]

BLEND = "the blend, as decided then"
NOTHING = "nothing"

OWN_BANDS = "interval, as it was forecast"


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
    bands: str = OWN_BANDS

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


def origin_place(origins: IntArray, both: BoolArray, series: History | ItemHistory, origin: object) -> int:
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


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class _Recalled:
    """The same as `Tested`, with laws in place of bounds; `laws` of shape (O, H, components, NUMBERS)."""

    name: str
    series: ItemHistory
    origins: IntArray
    actuals: FloatArray
    points: FloatArray
    laws: FloatArray
    supports: FloatArray
    reason: str = ""
    bands: str = OWN_BANDS

    def last(self) -> "_Recalled":
        """Of the last origin that has a forecast and an actual alone."""
        both = np.asarray((~np.isnan(self.points) & ~np.isnan(self.actuals)).any(axis=1))
        at = [origin_place(self.origins, both, self.series, None)] if self.origins.size else []
        of_one = {name: getattr(self, name)[at] for name in ("origins", "actuals", "points", "laws", "supports")}
        return replace(self, **of_one)


def as_tested(source: Trial | Verdict, item: str, method: str | Method | None) -> Tested:
    """What a method forecast at each origin; without one what the verdict would have; of a trial the first entered."""
    trial = trial_of(source)
    return _with_bounds([_recalled(source, trial[item], method)], trial)[0]


def last_tested(source: Trial | Verdict, asked: Sequence[tuple[ItemTrial, Method | None]]) -> list[Tested]:
    """The same of several items with a method each, of the last origin that has a forecast and an actual."""
    return _with_bounds([_recalled(source, *one).last() for one in asked], trial_of(source))


def _with_bounds(recalled: Sequence[_Recalled], trial: Trial) -> list[Tested]:
    """Read the bounds of all laws off together."""
    levels = tuple(sorted(trial.levels or (80.0, 95.0)))
    shapes = [one.laws.shape[:2] for one in recalled]
    most = max((one.laws.shape[2] for one in recalled), default=1)
    rows = np.full((sum(o * h for o, h in shapes), most, NUMBERS), np.nan)
    supports = np.zeros((rows.shape[0], 2))
    ends = np.cumsum([o * h for o, h in shapes])
    for one, (origins, steps), end in zip(recalled, shapes, ends.tolist(), strict=True):
        at = slice(end - origins * steps, end)
        rows[at, : one.laws.shape[2]] = one.laws.reshape(-1, *one.laws.shape[2:])
        rows[at, one.laws.shape[2] :, WEIGHT] = 0.0
        supports[at] = np.repeat(one.supports, steps, axis=0)
    found = Laws.of(rows, supports[:, 0], supports[:, 1] > 0.0).quantile(shares_of(levels)).T
    made = []
    for one, (origins, steps), end in zip(recalled, shapes, ends.tolist(), strict=True):
        lower, upper = found[:, end - origins * steps : end].reshape(2, len(levels), origins, steps)
        made.append(
            Tested(
                name=one.name,
                series=one.series,
                origins=one.origins,
                actuals=one.actuals,
                points=one.points,
                lower=lower,
                upper=upper,
                levels=levels,
                reason=one.reason,
                bands=one.bands,
            )
        )
    return made


def _recalled(source: Trial | Verdict, one: ItemTrial, method: str | Method | None) -> _Recalled:
    """Forecasts at past origins with their laws."""
    trial, item = trial_of(source), one.item
    if method is None and isinstance(source, Verdict):
        choice = source.choice(item)
        found, winner = _decided_then(trial, choice), choice.winner
        entered = winner is not None and winner.method in trial.lineup
        if found is not None and (choice.joined or (winner is not None and not entered)):
            return found
        if winner is None or not entered:
            return _never(trial, one, winner)
        method = winner.method
    m = trial.method_index(trial.entered[0] if method is None else method)
    tried = np.flatnonzero(one.status[m] != Status.NO_FOLD)
    return _Recalled(
        name=short_name(trial.lineup[m]),
        series=trial.history[item],
        origins=one.origins[tried],
        actuals=one.actuals[tried],
        points=one.points[m][tried],
        laws=one.laws[m][tried],
        supports=one.supports[tried],
        reason=reason_of(trial, m, item) if np.isnan(one.points[m]).all() else "",
    )


def _never(trial: Trial, one: ItemTrial, winner: Entry | None) -> _Recalled:
    """Of an item for which nothing was decided, or what no origin of the trial has: unknown, and why."""
    shape = one.actuals.shape
    return _Recalled(
        name=NOTHING if winner is None else short_name(winner.method),
        series=trial.history[one.item],
        origins=one.origins,
        actuals=one.actuals,
        points=np.full(shape, np.nan),
        laws=np.full((*shape, 1, NUMBERS), np.nan),
        supports=one.supports,
        reason="nothing was decided" if winner is None else "it was not among the methods that were tested",
    )


def _decided_then(trial: Trial, choice: Choice) -> _Recalled | None:
    """What a verdict would have forecast at each origin by what was known there; None where nothing was decided."""
    fit, winner = choice.hindcast, choice.winner
    if fit is None or winner is None:
        return None
    rows = np.zeros((*fit.points.shape, 1, NUMBERS))
    rows[..., 0, WEIGHT], rows[..., 0, KIND] = 1.0, Kind.NORMAL
    rows[..., 0, FIRST], rows[..., 0, FIRST + 1] = fit.points, fit.spread
    rows[np.isnan(fit.points)] = np.nan
    return _Recalled(
        name=BLEND if choice.joined else short_name(winner.method),
        series=trial.history[choice.item],
        origins=fit.origins,
        actuals=fit.actuals,
        points=fit.points,
        laws=rows,
        supports=fit.supports,
        bands="normal interval by the mean and spread of its law then",
    )
