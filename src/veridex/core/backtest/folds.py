"""`FoldArrays`: what folds brought, as arrays; and `ItemTrial`, what one item was tested to be."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, field, fields, replace
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.backtest.trail import Trail
from veridex.core.history.item import ItemHistory
from veridex.core.laws.components import NUMBERS, Components
from veridex.core.laws.laws import Laws
from veridex.core.methods.fold.status import Status
from veridex.core.scoring.levels import shares_of
from veridex.core.scoring.measures import TERMS

__all__ = ["ARRAYS", "PER_METHOD", "FoldArrays", "ItemTrial", "digest_of", "last_known"]

PER_METHOD = (
    "points",
    "std_error",
    "laws",
    "transforms",
    "chances",
    "status",
    "parameters",
    "criteria",
    "forms",
    "training",
    "seconds",
)

TAKEN_OVER = (*PER_METHOD, "scales", "supports")
"""What of earlier folds holds on; origins, actuals and clarity are found anew."""

LONGEST_FORM = 72

KEY_LENGTH = 32
"""Hexadecimal digits of a fingerprint: chance gives two alike once in 10^19 of a billion."""


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class FoldArrays:
    """Results by method (M), origin (O), step (H) and component (C), NaN where none; items may stand before them.

    Attributes
    ----------
    origins : ndarray of int, shape (..., O)
        Ordinal of the last known period.
    actuals : ndarray, shape (..., O, H)
    scales : ndarray, shape (..., O, 2)
        Mean absolute and squared change over a season in the training span.
    points, std_error : ndarray, shape (..., M, O, H)
    laws : ndarray, shape (..., M, O, H, C, NUMBERS)
        The law of each forecast, by components; see `veridex.core.laws.components`.
    transforms : ndarray, shape (..., M, O, H)
        Where each actual stands in the law that was forecast for it, from 0 to 1, randomised where it has weight.
    chances : ndarray, shape (..., M, O, H)
        The probability that each law had at the actual itself: that of whole demand, of nothing; else nought.
    supports : ndarray, shape (..., O, 2)
        What demand had not been below up to each origin, and whether it was whole: one or zero.
    clarity : ndarray, shape (..., O)
        How much wider the season that item and neighbours showed swung than the noise in the item's own profile.
    status : ndarray of int, shape (..., M, O)
    parameters : ndarray, shape (..., M, O)
        Quantities estimated.
    criteria : ndarray, shape (..., M, O)
        AICc of each fit; NaN where there is no likelihood.
    forms : ndarray of bytes, shape (..., M, O)
        What a search chose, as settings; empty where nothing is searched.
    training : ndarray, shape (..., M, O, TERMS)
        Sums of the terms of one-step errors inside the training span.
    seconds : ndarray, shape (..., M, O)
        Time taken; folds that one call runs share its time. The only array that is not the same twice.
    """

    origins: IntArray
    actuals: FloatArray
    scales: FloatArray
    points: FloatArray
    std_error: FloatArray
    laws: Components
    transforms: FloatArray
    chances: FloatArray
    supports: FloatArray
    clarity: FloatArray
    status: NDArray[np.int8]
    parameters: FloatArray
    criteria: FloatArray
    forms: NDArray[np.bytes_]
    training: FloatArray
    seconds: FloatArray

    @staticmethod
    def empty(sizes: Sequence[int], components: int, horizon: int, keep: str = "all") -> dict[str, Any]:
        """Arrays without results, by name.

        Parameters
        ----------
        sizes : sequence of int
            Items, if there are several; methods; origins.
        components, horizon : int
            The most components of a law; lead times.
        keep : {"all", "scores"}
            With ``"scores"`` laws of single precision and no standard errors.
        """
        folds, rounds = tuple(sizes), (*sizes[:-2], sizes[-1])
        precision = np.float32 if keep == "scores" else np.float64
        spread = np.full((*folds, horizon), np.nan) if keep == "all" else np.broadcast_to(np.nan, (*folds, horizon))
        return {
            "origins": np.zeros(rounds, dtype=np.int64),
            "actuals": np.full((*rounds, horizon), np.nan),
            "scales": np.full((*rounds, 2), np.nan),
            "points": np.full((*folds, horizon), np.nan),
            "std_error": spread,
            "laws": np.full((*folds, horizon, components, NUMBERS), np.nan, dtype=precision),
            "transforms": np.full((*folds, horizon), np.nan),
            "chances": np.full((*folds, horizon), np.nan),
            "supports": np.tile([-np.inf, 0.0], (*rounds, 1)),
            "clarity": np.zeros(rounds),
            "status": np.full(folds, Status.NO_FOLD, dtype=np.int8),
            "parameters": np.full(folds, np.nan),
            "criteria": np.full(folds, np.nan),
            "forms": np.zeros(folds, dtype=f"S{LONGEST_FORM}"),
            "training": np.full((*folds, TERMS), np.nan),
            "seconds": np.zeros(folds),
        }

    @property
    def keep(self) -> str:
        """``"all"``, or ``"scores"`` where laws are of single precision."""
        return "scores" if self.laws.dtype == np.float32 else "all"

    def laws_at(self, where: Any) -> Laws:
        """The laws (..., H) at an index of (..., M, O)."""
        supports = np.broadcast_to(np.expand_dims(self.supports, -3), (*self.status.shape, 2))[where]
        return Laws.of(self.laws[where], supports[..., None, 0], supports[..., None, 1] > 0.0)

    def bounds(self, levels: Sequence[float]) -> FloatArray:
        """Lower and upper bounds of the methods' own laws, shape (2, L, ..., M, O, H)."""
        found = self.laws_at(...).quantile(shares_of(levels))
        return np.moveaxis(found, -1, 0).reshape(2, len(levels), *self.points.shape)

    def locked(self) -> Self:
        """The same, read-only."""
        for name in ARRAYS:
            getattr(self, name).flags.writeable = False
        return self


ARRAYS = tuple(f.name for f in fields(FoldArrays))


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class ItemTrial(FoldArrays):
    """What one item was tested to be: forecasts and actuals at its origins, reasons, and a key.

    Attributes
    ----------
    item : str
    keys : tuple of str
        For each method a fingerprint of everything that its results depend on.
    trail : Trail or None
        What lets its folds be continued; only where finished items are kept.
    """

    item: str
    keys: tuple[str, ...]
    trail: Trail | None = field(default=None, repr=False)

    @property
    def key(self) -> str:
        """The fingerprint of everything that the item's results depend on: of all its methods."""
        return digest_of(repr(self.keys).encode())

    @property
    def lost(self) -> tuple[bool, ...]:
        """For each method whether the process that worked on it died: what was lost is done again."""
        return tuple((self.status == Status.WORKER_DIED).any(axis=1).tolist())

    def taken_over(self, before: "ItemTrial") -> int:
        """Fill in, in place, the folds that were run before, all of them at the beginning; and say how many."""
        done = 0 if before.trail is None else len(before.trail.links[0])
        for name in TAKEN_OVER:
            mine, theirs = getattr(self, name), getattr(before, name)
            mine, theirs = (mine[:, :done], theirs[:, :done]) if name in PER_METHOD else (mine[:done], theirs[:done])
            both = tuple(slice(min(a, b)) for a, b in zip(mine.shape, theirs.shape, strict=True))
            mine[both] = theirs[both]
        return done

    def of_methods(self, places: Sequence[int]) -> "ItemTrial":
        """The same of some of the methods."""
        own = {name: getattr(self, name)[list(places)] for name in PER_METHOD}
        trail = None if self.trail is None else self.trail.of_methods(places)
        return replace(self, keys=tuple(self.keys[m] for m in places), trail=trail, **own)

    def without_results(self) -> "ItemTrial":
        """The same as if the process that worked on it had died."""
        methods, _, horizon, components, _ = self.laws.shape
        blank = FoldArrays.empty(self.status.shape, components, horizon, self.keep)
        status = np.where(self.status == Status.NO_FOLD, Status.NO_FOLD, Status.WORKER_DIED).astype(np.int8)
        own = {name: blank[name] for name in PER_METHOD} | {"status": status}
        return replace(self, keys=("",) * methods, trail=None, **own)

    def last_known(self, series: ItemHistory) -> FloatArray:
        """The last known actual at each origin, shape (O,); NaN where there is none."""
        return last_known(series, self.origins, self.status)


def last_known(series: ItemHistory, origins: IntArray, status: NDArray[np.int8]) -> FloatArray:
    """The last known actual of an item at each origin (O,) with a fold, of status (M, O); NaN where there is none."""
    found = np.full(origins.shape, np.nan)
    known = np.flatnonzero(~np.isnan(series.actuals))
    tried = np.flatnonzero((status != Status.NO_FOLD).any(axis=0))
    at = np.searchsorted(known, origins[tried] - series.start, side="right") - 1
    found[tried[at >= 0]] = series.actuals[known[at[at >= 0]]]
    return found


def digest_of(*parts: bytes) -> str:
    """The fingerprint of bytes."""
    digest = hashlib.sha256()
    for part in parts:
        digest.update(part)
    return digest.hexdigest()[:KEY_LENGTH]
