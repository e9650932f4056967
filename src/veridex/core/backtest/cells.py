"""Cells of a trial, block by block: where each stands, and what the terms of its error are made of."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.backtest.results import Block, Results
from veridex.core.methods.fold.status import Status
from veridex.core.scoring.levels import level_label
from veridex.core.scoring.measures import TERMS, grouped_sums, interval_terms

__all__ = ["INTERVAL_MEASURES", "Cells", "PooledCells", "TrainingCells", "cells_of", "holdout_cells", "total"]

INTERVAL_MEASURES = ("coverage", "width", "interval_score", "pinball")


@dataclass(frozen=True, slots=True, eq=False)
class Cells:
    """Cells of a block: where each stands, what the terms of its error are made of, further columns that add up.

    Attributes
    ----------
    indices : dict of str to ndarray
        Item, method, origin, step and phase of each cell.
    numbers : ndarray, shape (CELL, cells)
    extra : dict of str to ndarray
        Those that begin with a stroke are not columns themselves.
    """

    indices: dict[str, Any]
    numbers: FloatArray
    extra: dict[str, FloatArray]

    def where(self, kept: BoolArray) -> "Cells":
        """Some of them."""
        indices, extra = ({k: v[kept] for k, v in one.items()} for one in (self.indices, self.extra))
        return Cells(indices, self.numbers[:, kept], extra)

    @property
    def errors(self) -> FloatArray:
        """Actual less forecast."""
        return np.asarray(self.numbers[0] - self.numbers[1])

    def summed(self, groups: IntArray, count: int) -> FloatArray:
        """Sums (TERMS, count) of their terms by group."""
        sums = np.empty((count, TERMS))
        grouped_sums(self.numbers, groups, sums)
        return sums.T


@dataclass(frozen=True, slots=True, eq=False)
class TrainingCells:
    """Training spans of a block: where each stands, and the sums (TERMS, spans) of its one-step errors."""

    indices: dict[str, Any]
    terms: FloatArray

    def summed(self, groups: IntArray, count: int) -> FloatArray:
        """Sums (TERMS, count) by group."""
        return np.stack([total(term, groups, count) for term in self.terms])


@dataclass(frozen=True, slots=True, eq=False)
class PooledCells:
    """Training spans and holdout cells of a block together."""

    training: TrainingCells
    holdout: Cells

    @property
    def indices(self) -> dict[str, Any]:
        """Item, method and origin of each, training spans first."""
        both = self.training.indices, self.holdout.indices
        return {name: np.concatenate((both[0][name], both[1][name])) for name in both[0]}

    def summed(self, groups: IntArray, count: int) -> FloatArray:
        """Sums (TERMS, count) by group."""
        spans = self.training.terms.shape[1]
        return self.training.summed(groups[:spans], count) + self.holdout.summed(groups[spans:], count)


def cells_of(
    trial: Results, block: Block, scope: str, common: bool, intervals: bool
) -> Cells | TrainingCells | PooledCells:
    """What a scope looks at."""
    if scope == "holdout":
        return holdout_cells(trial, block, common, intervals)
    training = _training_cells(block)
    return training if scope == "training" else PooledCells(training, holdout_cells(trial, block, common, False))


def total(values: FloatArray, groups: IntArray, count: int) -> FloatArray:
    """Sums by group."""
    return np.bincount(groups, weights=values, minlength=count).astype(np.float64)


def holdout_cells(trial: Results, block: Block, common: bool, intervals: bool) -> Cells:
    """The forecasts of a block that there are actuals for; those that every method has, where only these are wanted."""
    a = block.arrays
    tried = (a.status != Status.NO_FOLD)[..., None] & ~np.isnan(a.points) & ~np.isnan(a.actuals)[:, None]
    i, m, o, h = np.nonzero(tried & block.common[:, None] if common else tried)
    actual = a.actuals[i, o, h]
    own_values = [trial.history.at(block.first + k).values for k in range(a.origins.shape[0])]
    centres = np.array([np.nanmean(one) if (~np.isnan(one)).any() else 0.0 for one in own_values])
    scales = a.scales[i, o]
    points, last = a.points[i, m, o, h], trial.last_known(block)[i, o]
    numbers = np.stack((actual, points, scales[:, 0], scales[:, 1], centres[i], last))
    benchmark = _benchmark_errors(trial, block)[i, o, h]
    own = np.where(np.isnan(benchmark), np.nan, actual - points)
    extra = {"_own": np.abs(own), "_own_squared": own**2}
    extra |= {"_benchmark": np.abs(benchmark), "_benchmark_squared": benchmark**2}
    levels = trial.levels if intervals else ()
    bounds = np.moveaxis(a.bounds(levels), 0, 1) if levels else ()
    for level, (lower, upper) in zip(levels, bounds, strict=True):
        label = level_label(level)
        parts = interval_terms(actual, lower[i, m, o, h], upper[i, m, o, h], level)
        extra |= {f"{name}_{label}": part for name, part in zip(INTERVAL_MEASURES, parts, strict=True)}
    phases = (a.origins[i, o] + h + 1) % trial.history.season_length
    where = {"item": i + block.first, "method": m, "origin": a.origins[i, o], "step": h + 1, "phase": phases}
    return Cells(where, numbers, extra)


def _benchmark_errors(trial: Results, block: Block) -> FloatArray:
    """Errors (I, O, H) of the benchmark that each item supports; NaN where it has none."""
    a = block.arrays
    found = np.full(a.actuals.shape, np.nan)
    for text in reversed(trial.benchmarks):
        errors = a.actuals - a.points[:, trial.method_index(text)]
        has = ~np.isnan(errors).all(axis=(1, 2))
        found[has] = errors[has]
    return found


def _training_cells(block: Block) -> TrainingCells:
    a = block.arrays
    i, m, o = np.nonzero(a.status <= Status.DONE)
    return TrainingCells({"item": i + block.first, "method": m, "origin": a.origins[i, o]}, a.training[i, m, o].T)
