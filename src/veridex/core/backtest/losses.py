"""Losses of candidates on the cells that all of them have, and what a choice among them would have cost."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.backtest.trial import Trial
from veridex.core.scoring.comparison import mean_error

__all__ = ["MEASURES", "Losses"]


MEASURES = {"mae": 1, "mse": 2, "rmse": 2, "mape": 1, "smape": 1, "wape": 1, "mase": 1, "rmsse": 2}
"""What a grid can be judged by, the error that adds up from cell to cell, and the power that it enters with."""

PERCENT = ("mape", "smape", "wape")


@dataclass(frozen=True, slots=True, eq=False)
class Losses:
    """Losses of candidates on the cells that all of them have.

    Attributes
    ----------
    trial : Trial
    measure : str
    cells : ndarray, shape (candidates, I, O, H)
        Errors to the measure's power, scaled where it is; zero where a cell does not count.
    plain : ndarray, shape (I, O, H)
        The same of the method without the grid's settings; NaN where it has no forecast.
    known : ndarray of bool, shape (I, O, H)
    weights : ndarray, shape (I, O, H)
        What losses are divided by when they are added up: ones, or the size of actuals for wape.
    """

    trial: Trial
    measure: str
    cells: FloatArray
    plain: FloatArray
    known: BoolArray
    weights: FloatArray

    @classmethod
    @np.errstate(all="ignore")
    def of(cls, trial: Trial, texts: Sequence[str], plain: str | None, measure: str) -> "Losses":
        """The losses of methods of a trial; one without any forecast at all is left aside."""
        a = trial.arrays
        own = np.stack([_cells_of(trial, trial.method_index(text), measure) for text in texts])
        untuned = np.full(a.actuals.shape, np.nan)
        if plain is not None:
            untuned = _cells_of(trial, trial.method_index(plain), measure)
        idle = np.isnan(own).all(axis=(1, 2, 3), keepdims=True)
        known: BoolArray = np.asarray((~np.isnan(own) | idle).all(axis=0) & ~np.isnan(own).all(axis=0))
        weights = np.where(known, np.abs(a.actuals) if measure == "wape" else 1.0, 0.0)
        cells = np.where(idle, np.nan, np.where(known, own, 0.0))
        return cls(trial, measure, cells, untuned, known, weights)

    @np.errstate(all="ignore")
    def measure_of(self, cells: FloatArray, where: BoolArray | None = None) -> FloatArray:
        """The measure of losses (..., I, O, H): per item over its cells, then the mean of the items that have it."""
        values = self._by_item(cells, where)
        known = np.isfinite(values)
        return np.asarray(
            np.where(known, values, 0.0).sum(axis=-1) / np.where(known.any(axis=-1), known.sum(axis=-1), np.nan)
        )

    @np.errstate(all="ignore")
    def _by_item(self, cells: FloatArray, where: BoolArray | None = None) -> FloatArray:
        counted = self.weights if where is None else np.where(where, self.weights, 0.0)
        kept = cells if where is None else np.where(where, cells, 0.0)
        return self._finished(kept.sum(axis=(-1, -2)) / counted.sum(axis=(-1, -2)))

    def _finished(self, means: FloatArray) -> FloatArray:
        if self.measure in ("rmse", "rmsse"):
            return np.asarray(np.sqrt(means))
        return 100.0 * means if self.measure in PERCENT else means

    @np.errstate(all="ignore")
    def std_errors(self) -> FloatArray:
        """Standard errors of the measure: over items, or of a single item over its origins, which overlap."""
        by_item = self._by_item(self.cells)
        able = np.isfinite(by_item).all(axis=0)
        if able.sum() > 1:
            return np.asarray(by_item[:, able].std(axis=1, ddof=1) / np.sqrt(able.sum()))
        item = int(np.flatnonzero(self.known.any(axis=(1, 2)))[0]) if self.known.any() else 0
        at = self.known[item].any(axis=1)
        values = self._finished(self.cells[:, item, at].sum(axis=-1) / self.weights[item, at].sum(axis=-1))
        return mean_error(values, self.trial.overlap)

    @property
    def untuned(self) -> float:
        """The measure of the method without the grid's settings; NaN where it lacks a cell."""
        lacks = bool(np.isnan(self.plain[self.known]).any()) or not self.known.any()
        return float("nan") if lacks else float(self.measure_of(np.nan_to_num(self.plain), self.known))

    @np.errstate(all="ignore")
    def nested(self, best: int) -> dict[str, float]:
        """What tuning would have saved if it had been done at each origin, on what was known there."""
        origins = self.trial.arrays.origins
        ends = origins[:, :, None] + np.arange(1, self.known.shape[2] + 1)
        chosen, used = np.zeros(self.known.shape), np.zeros(self.known.shape, dtype=bool)
        for now in np.unique(origins[self.known.any(axis=2)]):
            past = self.known & (ends <= now)
            here = self.known & (origins == now)[:, :, None]
            means = self.measure_of(self.cells, past)
            if not here.any() or not np.isfinite(means).any():
                continue
            chosen += np.where(here, self.cells[int(np.nanargmin(means))], 0.0)
            used |= here
        tuned = float(self.measure_of(chosen, used)) if used.any() else float("nan")
        both = used & ~np.isnan(self.plain)
        untuned = float("nan")
        if both.sum() == used.sum() and used.any():
            untuned = float(self.measure_of(np.nan_to_num(self.plain), used))
        return {
            "origins": float(np.unique(origins[used.any(axis=2)]).size),
            "tuned": tuned,
            "untuned": untuned,
            "hindsight": float(self.measure_of(self.cells[best], used)) if used.any() else float("nan"),
            "less_error": 100.0 * (1.0 - tuned / untuned) if untuned else math.nan,
        }


def _cells_of(trial: Trial, m: int, measure: str) -> FloatArray:
    """Errors (I, O, H) of a method to the power of the measure, over what it divides by.

    A zero actual makes the percentage of its item infinite: it then has none, as in the standings.
    """
    a = trial.arrays
    actuals, points = a.actuals, a.points[:, m]
    if measure == "mape":
        below = np.abs(actuals)
    elif measure == "smape":
        below = 0.5 * (np.abs(actuals) + np.abs(points))
    elif measure in ("mase", "rmsse"):
        below = (a.scales[:, :, 0] if measure == "mase" else np.sqrt(a.scales[:, :, 1]))[:, :, None]
    else:
        below = np.ones(1)
    errors = np.abs(actuals - points)
    if measure in ("mape", "smape"):  # nothing forecast where nothing came is right; its percentage is not told
        return np.where((below == 0.0) & ~np.isnan(errors), 0.0 if measure == "smape" else np.inf, errors / below)
    return np.asarray((errors / below) ** MEASURES[measure])
