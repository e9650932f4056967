"""Published bounds: the model's own, conformal ones, or the average of both."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.calibration.conformal import growing, nested
from veridex.core.calibration.crossfit import KINDS, Crossfit, model_factor
from veridex.core.calibration.intervals import joined_interval
from veridex.core.fitted.forecast import Forecast
from veridex.core.scoring.levels import DEFAULT_LEVELS, checked_levels, level_label, on_number_line
from veridex.errors import ParameterError

__all__ = ["Bands", "Peers", "Wanted", "calibrated", "checked_kind", "checked_quantiles", "joined_bands"]


def checked_kind(kind: str | None, *, tested: bool) -> str | None:
    """A kind of interval, or None for what each item's evidence allows.

    Raises
    ------
    ParameterError
        If there is no such kind, or it needs a backtest and there was none.
    """
    if kind is not None and kind not in KINDS:
        raise ParameterError("intervals", repr(kind), f"the kinds are {', '.join(KINDS)}")
    if kind not in (None, "model") and not tested:
        raise ParameterError("intervals", repr(kind), "it takes the errors of a backtest; pass a verdict")
    return kind


def checked_quantiles(quantiles: tuple[float, ...]) -> tuple[float, ...]:
    """One-sided quantiles in percent, sorted.

    Raises
    ------
    ParameterError
        If one is not between 0 and 100, or is 50, which is no bound.
    """
    for one in quantiles:
        if 0 < one < 1:
            raise ParameterError("quantiles", str(one), f"quantiles are percent; did you mean {100 * one:g}?")
        if not 0 < one < 100 or abs(one - 50) < 0.5:
            problem = "a quantile is percent between 0 and 100, off the middle: the point forecast is the mean"
            raise ParameterError("quantiles", str(one), problem)
    return tuple(sorted({float(one) for one in quantiles}))


@dataclass(frozen=True, slots=True)
class Wanted:
    """Which bounds are published.

    Attributes
    ----------
    levels, quantiles : tuple of float
        In percent. A quantile is a bound of the level that leaves as much on either side.
    kind : {"model", "conformal", "average"} or None
        None: average where there are twelve origins, else model.
    """

    levels: tuple[float, ...] = DEFAULT_LEVELS
    quantiles: tuple[float, ...] = ()
    kind: str | None = None

    @property
    def all_levels(self) -> tuple[float, ...]:
        """Levels of the intervals and of the quantiles, ascending."""
        return checked_levels((*self.levels, *(abs(2.0 * one - 100.0) for one in self.quantiles)))

    def sides(self) -> dict[tuple[int, int], str]:
        """For each column of bounds or quantiles its side (0 the lower, 1 the upper) and the place of its level."""
        places = {level: j for j, level in enumerate(self.all_levels)}
        found = {}
        for level in self.levels:
            for side, name in enumerate(("lower", "upper")):
                found[side, places[level]] = f"{name}_{level_label(level)}"
        for one in self.quantiles:
            # A quantile that is also a bound stands in both columns; either gives it back.
            found.setdefault((int(one > 50), places[abs(2.0 * one - 100.0)]), f"quantile_{level_label(one)}")
        return found

    def columns(self, lower: FloatArray, upper: FloatArray, **middle: FloatArray) -> dict[str, Any]:
        """Bounds (all levels, steps) by the names of the columns of a table, around what stands in the middle."""
        places = {level: j for j, level in enumerate(self.all_levels)}
        shown = [places[level] for level in self.levels]
        found = on_number_line(self.levels, [lower[j] for j in shown], [upper[j] for j in shown], **middle)
        for one in self.quantiles:
            side = upper if one > 50 else lower
            found[f"quantile_{level_label(one)}"] = side[places[abs(2.0 * one - 100.0)]]
        return found


@dataclass(frozen=True, slots=True, eq=False)
class Bands:
    """Bounds of one forecast.

    Attributes
    ----------
    lower, upper : ndarray, shape (levels, steps)
    kinds : tuple of str
        Of each level.
    tested : range
        Lead times at which they are calibrated; model bounds at the others.
    """

    lower: FloatArray
    upper: FloatArray
    kinds: tuple[str, ...]
    tested: range

    def words(self, levels: tuple[float, ...], step: int) -> str:
        """The kind at a lead time, by level where they differ."""
        kinds = self.kinds if step in self.tested else ("model",) * len(self.kinds)
        if len(set(kinds)) <= 1:
            return kinds[0] if kinds else ""
        return ", ".join(f"{level:g}: {kind}" for level, kind in zip(levels, kinds, strict=True))


@dataclass(frozen=True, slots=True, eq=False)
class Peers:
    """Quantiles of the errors of the portfolio's other items, in standard errors; None where there are no others.

    Attributes
    ----------
    steps, totals : ndarray, shape (levels, H), or None
        Of lead times, and of sums from the first lead time on.
    """

    steps: FloatArray | None = None
    totals: FloatArray | None = None


@np.errstate(all="ignore")
def calibrated(forecast: Forecast, crossfit: Crossfit | None, kind: str | None, peers: Peers) -> Bands:
    """Bounds of a kind around a forecast made at all its levels.

    Conformal quantiles are drawn towards those of the other items; under ``average`` the model's bounds are stretched
    so that they would have held their level on the other items.

    A level that has too few past errors for a conformal quantile at some tested lead time keeps the model's bounds
    under ``average`` and has none under ``conformal``.
    """
    if crossfit is None:
        return _model_bands(forecast)
    chosen = kind or crossfit.default_kind
    if chosen == "model":
        return _model_bands(forecast)
    steps = min(crossfit.actuals.shape[1], forecast.points.size)
    half = crossfit.quantiles(forecast.levels, peers.steps)[:, :steps] * growing(forecast.std_error)[:steps]
    factor = model_factor(forecast.levels, peers.steps, steps)
    kinds = crossfit.kinds(chosen, forecast.levels)
    return joined_bands(forecast.points, (forecast.lower, forecast.upper), half, factor, crossfit, kinds)


def _model_bands(forecast: Forecast) -> Bands:
    lower, upper = nested(forecast.points, forecast.lower, forecast.upper)
    return Bands(lower, upper, ("model",) * len(forecast.levels), range(0))


def joined_bands(
    points: FloatArray,
    model: tuple[FloatArray, FloatArray],
    half: FloatArray,
    factor: FloatArray,
    crossfit: Crossfit,
    kinds: tuple[str, ...],
) -> Bands:
    """Model bounds (levels, H), stretched by a factor, joined with conformal half-widths; (levels, at most H) both."""
    steps, beyond = half.shape[1], points.size - half.shape[1]
    tested = ~np.isnan(crossfit.actuals[:, :steps]).all(axis=0)
    half = np.pad(np.where(tested, half, np.nan), ((0, 0), (0, beyond)), constant_values=np.nan)
    lower, upper = joined_interval(
        points, model, half, np.pad(factor, ((0, 0), (0, beyond)), constant_values=1.0), kinds
    )
    for j, kind in enumerate(kinds):
        if kind == "conformal" and not np.isfinite(half[j, :steps][tested]).all():
            lower[j, :steps] = upper[j, :steps] = np.nan
    steps_tested = np.flatnonzero(tested) + 1
    span = range(int(steps_tested[0]), int(steps_tested[-1]) + 1) if steps_tested.size else range(0)
    return Bands(lower, upper, kinds, span)
