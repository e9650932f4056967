"""`TrialArrays`: the dense results of a backtest."""

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from veridex.core.methods.status import Status
from veridex.core.scoring.measures import TERMS

__all__ = ["TrialArrays"]

FloatArray = NDArray[np.float64]


PER_METHOD = (
    "points",
    "std_error",
    "lower",
    "upper",
    "status",
    "parameters",
    "criteria",
    "forms",
    "training",
    "seconds",
)

LONGEST_FORM = 72


def _fill(mine: NDArray[Any], theirs: NDArray[Any]) -> None:
    if mine.flags.writeable:  # standard errors that are not kept are one number for all
        mine[tuple(slice(size) for size in theirs.shape)] = theirs


@dataclass(frozen=True, slots=True, eq=False)
class TrialArrays:
    """Dense results by item (I), method (M), origin (O), level (L) and step (H); NaN where there are none.

    Attributes
    ----------
    origins : ndarray of int, shape (I, O)
        Ordinal of the last known period.
    actuals : ndarray, shape (I, O, H)
    scales : ndarray, shape (I, O, 2)
        Mean absolute and squared change over a season in the training span.
    points, std_error : ndarray, shape (I, M, O, H)
    lower, upper : ndarray, shape (I, M, O, L, H)
    status : ndarray of int, shape (I, M, O)
    parameters : ndarray, shape (I, M, O)
        Quantities estimated.
    criteria : ndarray, shape (I, M, O)
        AICc of each fit; NaN where there is no likelihood.
    forms : ndarray of bytes, shape (I, M, O)
        What a search chose, as settings; empty where nothing is searched.
    training : ndarray, shape (I, M, O, TERMS)
        Sums of the terms of one-step errors inside the training span.
    seconds : ndarray, shape (I, M, O)
        Time taken. The only array that is not the same twice.
    """

    origins: NDArray[np.int64]
    actuals: FloatArray
    scales: FloatArray
    points: FloatArray
    std_error: FloatArray
    lower: NDArray[np.floating[Any]]
    upper: NDArray[np.floating[Any]]
    status: NDArray[np.int8]
    parameters: FloatArray
    criteria: FloatArray
    forms: NDArray[np.bytes_]
    training: FloatArray
    seconds: FloatArray

    @classmethod
    def allocate(
        cls, items: int, methods: int, origins: int, levels: int, horizon: int, keep: str = "all"
    ) -> "TrialArrays":
        """Arrays without results; with ``keep="scores"`` bounds of single precision and no standard errors."""
        folds = (items, methods, origins)
        bounds = np.float32 if keep == "scores" else np.float64
        spread = np.full((*folds, horizon), np.nan) if keep == "all" else np.broadcast_to(np.nan, (*folds, horizon))
        return cls(
            origins=np.zeros((items, origins), dtype=np.int64),
            actuals=np.full((items, origins, horizon), np.nan),
            scales=np.full((items, origins, 2), np.nan),
            points=np.full((*folds, horizon), np.nan),
            std_error=spread,
            lower=np.full((*folds, levels, horizon), np.nan, dtype=bounds),
            upper=np.full((*folds, levels, horizon), np.nan, dtype=bounds),
            status=np.full(folds, Status.NO_FOLD, dtype=np.int8),
            parameters=np.full(folds, np.nan),
            criteria=np.full(folds, np.nan),
            forms=np.zeros(folds, dtype=f"S{LONGEST_FORM}"),
            training=np.full((*folds, TERMS), np.nan),
            seconds=np.zeros(folds),
        )

    @property
    def keep(self) -> str:
        """``"all"``, or ``"scores"`` where bounds are of single precision."""
        return "scores" if self.lower.dtype == np.float32 else "all"

    def of_methods(self, places: Sequence[int]) -> "TrialArrays":
        """The same of some of the methods."""
        return replace(self, **{name: getattr(self, name)[:, list(places)] for name in PER_METHOD})

    def put(self, i: int, one: "TrialArrays", methods: Sequence[int] | None = None, at: int = 0) -> None:
        """Write the arrays of item `at` of `one` into place `i`; its methods into places `methods`, if these are
        stated.

        Where `one` has fewer origins or a shorter horizon, the rest stays as it is.
        """
        for f in fields(self):
            mine, theirs = getattr(self, f.name)[i], getattr(one, f.name)[at]
            if f.name in PER_METHOD and methods is not None:
                for place, values in zip(methods, theirs, strict=True):
                    _fill(mine[place], values)
            else:
                _fill(mine, theirs)

    def locked(self) -> "TrialArrays":
        """The same, read-only."""
        for f in fields(self):
            getattr(self, f.name).flags.writeable = False
        return self
