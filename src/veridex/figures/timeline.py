"""Lines, bands and marks over time: values by ordinal, cut to the span that is shown."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.lines import Line2D
from matplotlib.patches import Patch
from matplotlib.ticker import MaxNLocator
from numpy.typing import NDArray

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.history.measure import Measure
from veridex.core.periods.cadence import Cadence
from veridex.core.readable import number
from veridex.figures.sheet import Sheet, width_of
from veridex.figures.style import GRID, GROUND, INK, PLUM, bare_axes, date_ticks, number_axis

__all__ = ["FEW", "Timeline", "band_key", "line_key", "mark_key", "near"]

FEW, HANDFUL, MANY = 150, 6, 500
"""Periods up to which each is marked; and large; and up to which a line is as wide as it should be."""

APART = 6.0
"""A value so many times as far from the middle as the next one is off the scale, and said so."""


@dataclass(frozen=True, slots=True, eq=False)
class Timeline:
    """A panel over time.

    Attributes
    ----------
    axes : Axes
    cadence : Cadence
    first, stop : int
        Ordinals of the first period shown and of the one after the last.
    """

    axes: Axes
    cadence: Cadence
    first: int
    stop: int

    @classmethod
    def on(
        cls,
        axes: Axes,
        cadence: Cadence,
        span: tuple[int, int],
        measure: Measure | None,
        *,
        small: bool = False,
    ) -> "Timeline":
        """Dress a panel: as many dates or numbers below as fit, the measure beside."""
        bare_axes(axes)
        axes.tick_params(labelsize=8 if small or width_of(axes) < 400 else 10)
        number_axis(axes, small=small)
        if measure is not None and not small:
            axes.set_ylabel(measure.label, color=INK, fontsize=10 if width_of(axes) > 400 else 8)
        one = cls(axes, cadence, *span)
        one._dates(int(np.clip(width_of(axes) / (85.0 if small else 105.0), 2, 10)))
        return one

    def _dates(self, most: int) -> None:
        beside = max(0.6, 0.012 * (self.stop - self.first))
        low, high = self.edge(self.first, -beside), self.edge(self.stop - 1, beside)
        if self.cadence.counted:
            self.axes.xaxis.set_major_locator(MaxNLocator(most, integer=True))
        else:
            shown = self.cadence.starts(np.arange(self.first, self.stop))
            finest = {"Y": "Y", "M": "M", "h": "h", "m": "h"}.get(self.cadence.unit or "", "D")
            ticks, labels = date_ticks(shown, most, finest)
            if shown.size == 1:
                ticks, labels = shown, [self.cadence.text(self.first)]
            self.axes.set_xticks(ticks, labels)
        self.axes.set_xlim(low, high)

    def edge(self, ordinal: int, share: float) -> Any:
        """A place so many periods beside the start of one."""
        here, after = self.cadence.starts(np.array([ordinal, ordinal + 1]))
        return here + share * (after - here) if self.cadence.counted else here + _part(after - here, share)

    def at(self, ordinal: int) -> Any:
        """Where a period stands."""
        return self.cadence.starts(np.array([ordinal]))[0]

    def cut(self, start: int, values: FloatArray) -> tuple[NDArray[Any], FloatArray]:
        """Stamps and values of the periods shown."""
        low, high = max(self.first - start, 0), max(self.stop - start, 0)
        shown = np.asarray(values, dtype=np.float64)[low:high]
        return self.cadence.starts(np.arange(start + low, start + low + shown.size)), shown

    def line(
        self, start: int, values: FloatArray, color: str, *, width: float = 1.6, dash: Any = "-", marks: bool = True
    ) -> None:
        """A line, its periods marked where there are few; what stands alone between gaps is always marked."""
        x, y = self.cut(start, values)
        known = ~np.isnan(y)
        if marks and known.sum() > MANY:
            width = max(width * MANY / known.sum(), 0.5)
        marked = marks and known.sum() <= FEW
        size = 5.0 if known.sum() <= HANDFUL else 2.6 + 0.5 * width
        self.axes.plot(
            x, y, color=color, linewidth=width, linestyle=dash, marker="o" if marked else None, markersize=size
        )
        alone = known & ~np.append(known[1:], False) & ~np.append(False, known[:-1])
        if alone.any() and not marked:
            self.axes.plot(x[alone], y[alone], "o", color=color, markersize=max(size - 1.0, 2.0))

    def band(self, start: int, lower: FloatArray, upper: FloatArray, color: str) -> None:
        """A band; over a single period a bar of its width."""
        x, low = self.cut(start, lower)
        _, high = self.cut(start, upper)
        known = np.flatnonzero(~np.isnan(low + high))
        if known.size == 1:
            at = start + max(self.first - start, 0) + int(known[0])
            x = np.array([self.edge(at, -0.3), self.edge(at, 0.3)])
            low, high = np.repeat(low[known], 2), np.repeat(high[known], 2)
        self.axes.fill_between(x, low, high, color=color, linewidth=0)

    def marks(self, start: int, values: FloatArray, where: BoolArray, **look: Any) -> None:
        """Marks at some of the periods."""
        x, y = self.cut(start, np.where(where, values, np.nan))
        known = ~np.isnan(y)
        if known.any():
            self.axes.scatter(x[known], y[known], zorder=3, **look)

    def ground(self, first: int, last: int, *, hatched: bool = False) -> None:
        """The ground of some periods: grey, or pale and hatched as a holdout's."""
        if last < self.first or first >= self.stop:
            return
        low, high = self.edge(max(first, self.first), -0.5), self.edge(min(last, self.stop - 1), 0.5)
        look: dict[str, Any] = (
            {"facecolor": GROUND, "edgecolor": GRID, "hatch": "///"} if hatched else {"facecolor": GRID}
        )
        self.axes.axvspan(low, high, linewidth=0.0, zorder=0, **look)

    def fit(self, sheet: Sheet, start: int, actual: FloatArray, *others: FloatArray) -> None:
        """The stated scale, or one that holds everything shown but actuals that would flatten all others.

        What lies off the scale has a mark at the edge with its number.
        """
        sheet.limits(self.axes, near(self.cut(start, actual)[1]), *others)
        self.mark_off(start, actual)

    def mark_off(self, start: int, actual: FloatArray) -> None:
        """Mark the values that lie off the scale at its edge, few of them with their number."""
        x, y = self.cut(start, actual)
        low, high = self.axes.get_ylim()
        off = np.flatnonzero((y > high) | (y < low))
        for place in off.tolist():
            up = y[place] > high
            self.axes.plot(x[place], high if up else low, "^" if up else "v", color=PLUM, markersize=8, clip_on=False)
            if off.size <= HANDFUL:
                late = place > 0.85 * y.size
                self.axes.annotate(
                    f"{number(float(y[place]), 3)}, off the scale",
                    (x[place], high if up else low),
                    xytext=(-8 if late else 8, -9 if up else 4),
                    textcoords="offset points",
                    color=PLUM,
                    fontsize=9,
                    ha="right" if late else "left",
                )


def _part(length: Any, share: float) -> Any:
    return np.timedelta64(round(share * float(length / np.timedelta64(1, "s"))), "s")


def near(values: FloatArray) -> FloatArray:
    """The values but those that would flatten all others, which are NaN."""
    return np.where(_far_off(values), np.nan, values)


def _far_off(values: FloatArray) -> BoolArray:
    """Few values that lie so far from the others that they would flatten them."""
    known = values[~np.isnan(values)]
    none = np.zeros(values.shape, dtype=bool)
    if known.size < 8:
        return none
    middle = float(np.median(known))
    far = np.sort(np.abs(known - middle))[::-1]
    most = max(1, known.size // 40)
    jumps = np.flatnonzero(far[:most] > APART * far[1 : most + 1])
    if not jumps.size or far[jumps[-1] + 1] == 0.0:
        return none
    return np.asarray(np.abs(values - middle) >= far[jumps[-1]])


def line_key(label: str, color: str, *, width: float = 1.6, dash: Any = "-", marker: str | None = None) -> Artist:
    """A line in the legend."""
    return Line2D([], [], color=color, linewidth=width, linestyle=dash, marker=marker, markersize=5, label=label)


def mark_key(label: str, edge: str, *, face: str = "none", marker: str = "o") -> Artist:
    """A hollow mark in the legend, or one on paper."""
    return Line2D(
        [], [], color="none", marker=marker, markerfacecolor=face, markeredgecolor=edge, markersize=8, label=label
    )


def band_key(levels: Sequence[float], tints: Sequence[str], said: str) -> list[Artist]:
    """Bands in the legend, each with its level."""
    return [Patch(color=tint, label=f"{level:g} % {said}") for level, tint in zip(levels, tints, strict=False)]
