"""`breaks`: where the level or the trend of a series changes, with dates."""

from dataclasses import dataclass, field

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray, near_one
from veridex.core.diagnosis.decomposition import decompose
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.periods.seasons import season_name
from veridex.core.readable import number
from veridex.core.reading.expectation import expect

__all__ = ["BreakPoint", "Breaks", "breaks"]


MOST = 4
CRITICAL = 4.5
"""Ratio to its standard error that a break must reach: the supremum over all dates is rarely above 3.5 by chance."""

FEWEST = 20
SEASONAL = 0.3


@dataclass(frozen=True, slots=True)
class BreakPoint:
    """One break: `kind` is level or trend; `size` in demand, or demand per period; `ratio` to its standard error."""

    kind: str
    ordinal: int
    size: float
    ratio: float


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Breaks:
    """The breaks of one series, in order of time; `reason` says why none were looked for."""

    series: ItemHistory = field(repr=False)
    found: tuple[BreakPoint, ...] = ()
    reason: str = ""

    @property
    def table(self) -> pd.DataFrame:
        """A row per break: kind, period (the first after it), size, ratio."""
        return pd.DataFrame(
            {
                "kind": pd.Series([one.kind for one in self.found], dtype="str"),
                "period": self.series.cadence.starts(np.array([one.ordinal for one in self.found], dtype=np.int64)),
                "size": np.array([one.size for one in self.found], dtype=np.float64),
                "ratio": np.array([one.ratio for one in self.found], dtype=np.float64),
            }
        )

    @property
    def reading(self) -> str:
        """The breaks in words."""
        item, cadence = self.series.item, self.series.cadence
        if self.reason:
            return f"{item}: no breaks looked for: {self.reason}."
        if not self.found:
            return f"{item}: no break of level or trend beyond chance."
        parts = []
        for one in self.found:
            side = "up" if one.size > 0 else "down"
            a_period = f" a {cadence.noun}" if one.kind == "trend" else ""
            parts.append(
                f"the {one.kind} turns {side} by {number(abs(one.size))}{a_period} in {cadence.text(one.ordinal)}"
            )
        return f"{item}: {'; '.join(parts)}."


def breaks(series: History | ItemHistory) -> Breaks:
    """Date the breaks of level and trend.

    Those of the level are the shifts that the profile tells of. The seasons are taken out where there are some (loess,
    robust); then one bend after the other enters a regression on a line and these steps: the one, at the date, that
    explains most of what is left, as long as its ratio to its standard error, widened by the first autocorrelation of
    the residuals, reaches 4.5 (Andrews, 1993, Econometrica 61, 821-856; several breaks one by one: Bai, 1997,
    Econometric Theory 13, 315-352).

    Parameters
    ----------
    series : ItemHistory or History of one item
        Unknown periods are skipped.
    """
    one = only_item(series)
    known = np.flatnonzero(~np.isnan(one.values))
    if known.size < FEWEST:
        return Breaks(series=one, reason=f"too little history: {known.size} known periods, {FEWEST} needed")
    y = one.values[known]
    if one.season_length > 1:
        parts = decompose(one)
        if not parts.reason and parts.strengths[season_name(one.season_length)] > SEASONAL:
            y = parts.adjusted[known]
    if y.max() - y.min() <= 1e-12 * float(np.abs(y).max()):
        return Breaks(series=one, reason="all values are equal")
    time = known.astype(np.float64)
    columns = [np.ones(y.size), time]
    shifts = expect(np.array(one.values), one.season_length, turns=one.turns).shifts
    places = [("level", int(np.searchsorted(known, shift.place))) for shift in shifts]
    ratios = [shift.ratio for shift in shifts]
    columns += [_column(kind, time, at) for kind, at in places]
    apart = max(5, one.season_length // 2)
    while len(places) < MOST:
        best = _best(near_one(y), np.column_stack(columns), time, [int(time[at]) for _, at in places], apart)
        if best is None:
            break
        at, ratio = best
        columns.append(_column("trend", time, at))
        places.append(("trend", at))
        ratios.append(ratio)
    sizes = np.linalg.lstsq(np.column_stack(columns), y, rcond=None)[0][2:]
    found = [
        BreakPoint(kind, one.start + int(known[at]), float(size), ratio)
        for (kind, at), size, ratio in zip(places, sizes, ratios, strict=True)
    ]
    return Breaks(series=one, found=tuple(sorted(found, key=lambda point: point.ordinal)))


def _column(kind: str, time: FloatArray, at: int) -> FloatArray:
    """A step from a position on, or a line that begins to rise with it."""
    after = time >= time[at]
    return after.astype(np.float64) if kind == "level" else np.where(after, time - time[at] + 1.0, 0.0)


def _best(
    y: FloatArray, columns: FloatArray, time: FloatArray, taken: list[int], apart: int
) -> tuple[int, float] | None:
    """The bend that explains most of what the columns leave; None if it does not reach the critical ratio."""
    n = y.size
    q = np.linalg.qr(columns)[0]
    rest = y - q @ (q.T @ y)
    places = [at for at in range(apart, n - apart + 1) if all(abs(time[at] - other) >= apart for other in taken)]
    if not places or n <= columns.shape[1] + 2:
        return None
    candidates = np.column_stack([_column("trend", time, at) for at in places])
    left = candidates - q @ (q.T @ candidates)
    lengths = np.sqrt((left**2).sum(axis=0))
    usable = lengths > 1e-7 * np.sqrt((candidates**2).sum(axis=0))
    gains = np.where(usable, np.abs(left.T @ rest) / np.where(usable, lengths, 1.0), 0.0)
    k = int(np.argmax(gains))
    if not usable[k]:
        return None
    gain, at, direction = float(gains[k]), places[k], left[:, k] / lengths[k]
    after = rest - direction * float(direction @ rest)
    square = float(after @ after)
    carry = min(max(float(after[1:] @ after[:-1]) / square, 0.0), 0.98) if square > 0 else 0.0
    variance = square / (n - columns.shape[1] - 1) * (1.0 + carry) / (1.0 - carry)
    ratio = gain / np.sqrt(variance) if variance > 0 else np.inf
    return (at, float(ratio)) if ratio >= CRITICAL else None
