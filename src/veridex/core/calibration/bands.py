"""Published bounds and quantiles: which are wanted, and how they are read off calibrated laws."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.calibration.held import KINDS
from veridex.core.counts import whole_number
from veridex.core.laws.laws import Laws
from veridex.core.laws.warp import Warp, own_by_rows
from veridex.core.scoring.levels import DEFAULT_LEVELS, level_label, on_number_line, shares_of
from veridex.errors import ParameterError

__all__ = ["Bands", "Wanted", "checked_kind", "checked_quantiles"]


def checked_kind(kind: str | None, *, tested: bool) -> str | None:
    """A kind of interval, or None for what each item's evidence allows.

    Raises
    ------
    ParameterError
        If there is no such kind, or it needs a backtest and there was none.
    """
    if kind is not None and kind not in KINDS:
        raise ParameterError("intervals", repr(kind), f"the kinds are {', '.join(KINDS)}")
    if kind == "calibrated" and not tested:
        raise ParameterError("intervals", repr(kind), "it takes the evidence of a backtest; pass a verdict")
    return kind


def checked_quantiles(quantiles: tuple[float, ...]) -> tuple[float, ...]:
    """One-sided quantiles in percent, sorted.

    Raises
    ------
    ParameterError
        If one is not between 0 and 100.
    """
    for one in quantiles:
        if 0 < one < 1:
            raise ParameterError("quantiles", str(one), f"quantiles are percent; did you mean {100 * one:g}?")
        if not 0 < one < 100:
            raise ParameterError("quantiles", str(one), "a quantile is percent between 0 and 100")
    return tuple(sorted({float(one) for one in quantiles}))


@dataclass(frozen=True)
class Wanted:
    """Which bounds are published.

    Attributes
    ----------
    levels, quantiles : tuple of float
        In percent; a quantile is a bound on one side.
    kind : {"model", "calibrated"} or None
        None: calibrated where there is evidence, else the model's.
    first : int
        The lead time that totals begin with.
    """

    levels: tuple[float, ...] = DEFAULT_LEVELS
    quantiles: tuple[float, ...] = ()
    kind: str | None = None
    first: int = 1

    def __post_init__(self) -> None:
        whole_number("totals_from", self.first)

    @cached_property
    def shares(self) -> FloatArray:
        """Probabilities below the lower bounds, the upper bounds and the quantiles."""
        return np.concatenate((shares_of(self.levels), np.array(self.quantiles) / 100.0))

    def columns(self, bands: "Bands", **middle: FloatArray) -> dict[str, Any]:
        """Bounds by the names of the columns of a table, around what stands in the middle, then quantiles."""
        found = on_number_line(self.levels, list(bands.lower), list(bands.upper), **middle)
        for one, values in zip(self.quantiles, bands.quantiles, strict=True):
            found[f"quantile_{level_label(one)}"] = values
        return found


@dataclass(frozen=True, slots=True, eq=False)
class Bands:
    """Bounds of one forecast.

    Attributes
    ----------
    lower, upper : ndarray, shape (levels, steps)
    quantiles : ndarray, shape (quantiles, steps)
    kind : {"model", "calibrated"}
    """

    lower: FloatArray
    upper: FloatArray
    quantiles: FloatArray
    kind: str

    @classmethod
    def read(cls, laws: Laws, warps: Sequence[Warp], wanted: Wanted) -> "Bands":
        """Read laws (steps,) off at what has held the wanted probabilities; without warps at these themselves."""
        steps = laws.floor.size
        asked = own_by_rows(wanted.shares, warps) if warps else np.tile(wanted.shares, (steps, 1))
        kind = "calibrated" if warps else "model"
        return cls.of(laws.quantile(asked.reshape(steps, -1)).T, wanted, kind)

    @classmethod
    def of(cls, values: FloatArray, wanted: Wanted, kind: str) -> "Bands":
        """Bounds from values (shares, steps)."""
        n = len(wanted.levels)
        return cls(values[:n], values[n : 2 * n], values[2 * n :], kind)

    @classmethod
    def missing(cls, wanted: Wanted, steps: int) -> "Bands":
        """No bounds."""
        return cls.of(np.full((wanted.shares.size, steps), np.nan), wanted, "")
