"""`tune`: a method over a grid of settings, judged inside folds, and what the choice really saved."""

import itertools
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.backtest.failed import reason_of
from veridex.core.backtest.losses import MEASURES, Losses
from veridex.core.backtest.runner import Course, Running, run_backtest
from veridex.core.backtest.schemes import RollingOrigin, Scheme
from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.methods.catalogue import Method, method, method_of
from veridex.core.methods.grammar import Spelled, parse
from veridex.core.notebook import Faced
from veridex.core.preparation.regressors import Explanation
from veridex.core.readable import number
from veridex.errors import MeasureUnknown, ParameterError, SettingError

__all__ = ["Tuned", "Tuning", "tune_method"]


Grid = Mapping[str, Iterable[Any]]


class Tuned(Method):
    """A method that tunes itself at each origin, on what was known there: it may enter a lineup.

    Parameters
    ----------
    base : str or Method
    grid : mapping of str to sequence
        Settings and the values to try.
    scheme : RollingOrigin, optional
        The rolling origin inside each training span: horizon, origins and stride; one ahead from twelve by default.
    measure : {"mae", "rmse"}

    Raises
    ------
    MethodUnknown, SettingError, ParameterError
        If the method, the grid or the scheme are wrong.

    Examples
    --------
    >>> Tuned("moving-average", {"window": [2, 4]}, RollingOrigin(horizon=3, origins=6)).text
    'tuned of=[moving-average window=2, moving-average window=4] horizon=3 origins=6'
    """

    def __init__(
        self, base: str | Method, grid: Grid, scheme: RollingOrigin | None = None, measure: str = "mae"
    ) -> None:
        scheme = RollingOrigin(horizon=1, origins=12) if scheme is None else scheme
        plain = RollingOrigin(horizon=scheme.horizon, origins=scheme.origins, stride=scheme.stride)
        if scheme != plain or isinstance(scheme.origins, str):
            raise ParameterError(
                "scheme", repr(scheme), "inside a fold it has a horizon, a number of origins, a stride"
            )
        tried = [one for one, _ in _candidates(base, grid)]
        how = {"horizon": scheme.horizon, "origins": scheme.origins, "stride": scheme.stride, "measure": measure}
        made = method_of("tuned", {"of": tried, **how})
        super().__init__(made.name, made.given, family=made.family, settings=made.settings)


def _candidates(base: str | Method, grid: Grid) -> list[tuple[Method, dict[str, Any]]]:
    """Every combination of the grid's values as a method, with its settings, in the order of the grid."""
    stated = Spelled(base.name, dict(base.given)) if isinstance(base, Method) else parse(base)
    name, given = stated.name, dict(stated.settings)
    tried = {key: _values(values) for key, values in grid.items()}
    if not tried or not all(tried.values()):
        raise ParameterError("grid", repr(grid), "name settings with the values to try, as in {'window': [2, 4, 6]}")
    twice = next((key for key in tried if key in given), None)
    if twice is not None:
        raise ParameterError("grid", repr(twice), f"{name} states {twice} already")
    found = []
    for values in itertools.product(*tried.values()):
        chosen = dict(zip(tried, values, strict=True))
        found.append((method_of(name, given | chosen), chosen))
    if len(found) < 2 or len({one for one, _ in found}) < len(found):
        raise ParameterError("grid", repr(grid), "state two different values or more")
    return found


def _untuned(base: str | Method) -> Method | None:
    """The method without the grid's settings; None where it cannot be stated without one of them."""
    try:
        return method(base)
    except SettingError:
        return None


def _values(values: Iterable[Any]) -> list[Any]:
    """Plain values, NumPy's own turned into Python's to twelve digits; none of a text, which is no list of values."""
    if isinstance(values, str) or not isinstance(values, Iterable):
        return []
    plain = [value.item() if isinstance(value, np.generic) else value for value in values]
    return [float(f"{value:.12g}") if isinstance(value, float) else value for value in plain]


@dataclass(frozen=True, eq=False, kw_only=True)
class Tuning(Faced):
    """What a grid of settings showed.

    Attributes
    ----------
    frame : DataFrame
        A row per candidate, in the order of the grid: its settings, method, n (cells that all candidates have), the
        measure, std_error (over items, or over the origins of a single one), parameters, best, and within (whether it
        is within one standard error of the best).
    measure : str
    base : str
        The method without the grid's settings.
    nested : dict
        What tuning really saved: at each origin the setting with the lowest loss on errors known by then forecasts.
        origins (how many had such errors), tuned, untuned (the method without the grid's settings; NaN where it cannot
        be fitted so), hindsight (the best setting of all, picked afterwards), less_error (percent less than untuned).
    untuned_measure : float
        The measure of the method without the grid's settings; NaN where it lacks a cell.
    trial : Trial
        All folds.
    reason : str
        Why no setting can be told from another: nothing is best then, and `best` and `simplest` are empty. Empty where
        they can.
    """

    FACE: ClassVar[tuple[str, ...]] = (
        "in_words",
        "frame",
    )

    frame: pd.DataFrame = field(repr=False)
    measure: str
    base: str
    nested: dict[str, float] = field(repr=False)
    untuned_measure: float = field(repr=False)
    settings: tuple[dict[str, Any], ...] = field(repr=False)
    trial: Trial = field(repr=False)
    reason: str = ""

    @property
    def best(self) -> dict[str, Any]:
        """The settings with the lowest measure."""
        return {} if self.reason else dict(self.settings[self._best])

    @property
    def best_method(self) -> str:
        """The text of the method with them."""
        return "" if self.reason else str(self.frame["method"][self._best])

    @property
    def _best(self) -> int:
        return int(np.flatnonzero(self.frame["best"])[0])

    @property
    def simplest(self) -> dict[str, Any]:
        """Of the settings within one standard error of the best those with the fewest parameters.

        Where several have as many, those that stand first in the grid.
        """
        return {} if self.reason else dict(self.settings[self._simplest])

    @property
    def simplest_method(self) -> str:
        """The text of the method with them."""
        return "" if self.reason else str(self.frame["method"][self._simplest])

    @property
    def _simplest(self) -> int:
        near = np.flatnonzero(self.frame["within"])
        parameters = self.frame["parameters"].to_numpy()[near]
        return int(near[np.argmin(np.round(parameters, 6))])

    def in_words(self) -> str:
        """Say what is best, what is simplest, and what tuning saved."""
        if self.reason:
            return f"Not available: {self.reason}."
        row = self.frame[self.frame["best"]].iloc[0]
        name, nested = self.measure.upper(), self.nested
        said = f"{row['method']} is best of {len(self.frame)}: {name} {number(row[self.measure], 4)}"
        said += f" (standard error {number(row['std_error'], 2)})." if np.isfinite(row["std_error"]) else "."
        if self.simplest_method != self.best_method:
            said += f" {self.simplest_method} is the simplest within one standard error of it."
        if not nested["origins"]:
            return f"{said} What tuning saved cannot be told: no origin knew the errors of an earlier one."
        said += (
            f" Tuned at each of {nested['origins']:.0f} origins on the errors known by then, {name} would have been "
        )
        said += f"{number(nested['tuned'], 4)}"
        if np.isfinite(nested["untuned"]):
            better = "less" if nested["less_error"] >= 0 else "more"
            said += (
                f", against {number(nested['untuned'], 4)} untuned: {number(abs(nested['less_error']), 2)} % {better}"
            )
        return f"{said}. The best setting picked afterwards has {number(nested['hindsight'], 4)}, which flatters it."


def tune_method(
    history: History,
    base: str | Method,
    grid: Grid,
    scheme: Scheme,
    measure: str,
    running: Running,
    explaining: Explanation | None = None,
) -> Tuning:
    """Backtest every candidate; see `veridex.tune`, the public face."""
    if measure not in MEASURES:
        raise MeasureUnknown(measure, tuple(MEASURES))
    found = _candidates(base, grid)
    plain = _untuned(base)
    lineup = tuple(one for one, _ in found)
    entered = lineup if plain is None or plain in lineup else (*lineup, plain)
    course = Course(lineup=entered, scheme=scheme, explaining=explaining or Explanation())
    trial = run_backtest(history, course, running)
    losses = Losses.of(trial, [one.text for one in lineup], None if plain is None else plain.text, measure)
    curve = losses.measure_of(losses.cells)
    errors = losses.std_errors()
    able = bool(np.isfinite(curve).any())
    best = int(np.nanargmin(curve)) if able else 0
    reach = curve[best] + (errors[best] if np.isfinite(errors[best]) else 0.0)
    a = trial.arrays
    columns: dict[str, Any] = {key: [chosen[key] for _, chosen in found] for key in grid}
    places = [trial.method_index(one.text) for one in lineup]
    columns |= {
        "method": [one.text for one in lineup],
        "n": int(losses.known.sum()),
        measure: curve,
        "std_error": errors,
        "parameters": [_mean(a.parameters[:, m]) for m in places],
        "best": able & (np.arange(len(lineup)) == best),
        "within": curve <= reach,
    }
    return Tuning(
        frame=pd.DataFrame(columns),
        measure=measure,
        base=base.text if isinstance(base, Method) else " ".join(base.split()),
        nested=losses.nested(best),
        untuned_measure=losses.untuned,
        settings=tuple(chosen for _, chosen in found),
        trial=trial,
        reason="" if able else _reason(trial, places, measure),
    )


UNTOLD = {
    "mape": "an actual of every item is zero",
    "wape": "nothing was demanded in the cells that all candidates have",
    "mase": "demand does not change in the training spans, which errors are scaled by",
    "rmsse": "demand does not change in the training spans, which errors are scaled by",
}
"""Why a measure has no figure where there are forecasts and actuals."""


def _reason(trial: Trial, places: Sequence[int], measure: str) -> str:
    """Why there is no curve."""
    a = trial.arrays
    if (np.isfinite(a.points[:, list(places)]) & ~np.isnan(a.actuals)[:, None]).any():
        because = UNTOLD.get(measure, "no cell has a forecast of every candidate")
        return f"{measure} cannot be told: {because}"
    said = [reason for m in places if (reason := reason_of(trial, m))]
    return said[0] if said else "no forecast has an actual"


def _mean(values: FloatArray) -> float:
    known = values[~np.isnan(values)]
    return float(known.mean()) if known.size else float("nan")
