"""One item's history with what stands out in it: outliers, level shifts, gaps, repairs."""

from typing import Any

import numpy as np
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Patch

from veridex.core.history.item import ItemHistory
from veridex.core.readable import number
from veridex.core.tidying.profile import ItemProfile
from veridex.figures.style import AMBER, GRID, INK, PAPER, PLUM, TEAL, new_figure, padded_limits, style_axes

__all__ = ["draw_history"]


def draw_history(one: ItemProfile, tidied: ItemHistory | None = None) -> Figure:
    """Draw the raw history in ink, what is expected in teal, outliers ringed, shifts as lines, gaps as ground.

    Parameters
    ----------
    one : ItemProfile
    tidied : ItemHistory, optional
        The same item tidied: periods that were given another value are drawn in amber.
    """
    series, found = one.series, one.found
    figure = new_figure()
    axes = figure.add_subplot()
    style_axes(axes, series.cadence, series.measure, series.periods)
    handles: list[Artist] = []
    handles += _gaps(axes, series)
    if np.isfinite(found.values).any():
        axes.plot(series.periods, found.values, color=TEAL, linewidth=1.3, alpha=0.75)
        handles.append(Line2D([], [], color=TEAL, linewidth=1.3, label="expected"))
    axes.plot(series.periods, series.values, color=INK, linewidth=1.6, marker="o", markersize=2.5)
    handles.insert(0, Line2D([], [], color=INK, linewidth=1.6, marker="o", markersize=2.5, label="actual"))
    if one.numbers["unfinished"]:
        last = axes.scatter(series.periods[-1:], series.values[-1:], s=70, marker="s", facecolors=PAPER, edgecolors=INK)
        last.set_zorder(3)
        last.set_label("unfinished")
        handles.append(last)
    outlying = np.flatnonzero(found.outlying)
    if outlying.size:
        rings = axes.scatter(
            series.periods[outlying], series.values[outlying], s=120, facecolors="none", edgecolors=PLUM, linewidths=1.8
        )
        rings.set_label("outlier")
        handles.append(rings)
    handles += _repairs(axes, series, tidied)
    axes.set_ylim(*padded_limits(series.values, found.values, *([] if tidied is None else [tidied.values])))
    _shifts(axes, one)
    axes.set_title(_title(one), color=INK, fontsize=15, loc="left", pad=12)
    figure.legend(handles=handles, loc="outside lower center", ncols=len(handles), frameon=False, labelcolor=INK)
    return figure


def _title(one: ItemProfile) -> str:
    n, cadence = one.numbers, one.series.cadence
    found = [
        f"{count} {word}{'' if count == 1 else 's'}"
        for count, word in (
            (n["outliers"], "outlier"),
            (n["level_shifts"], "level shift"),
            (n["unknown"], f"unknown {cadence.noun}"),
        )
        if count
    ]
    found = [said for said in (one.reading.life, *found, one.reading.end) if said]
    return f"{one.series.item}: {', '.join(found) if found else 'nothing stands out'}"


def _gaps(axes: Axes, series: ItemHistory) -> list[Artist]:
    """Unknown periods as ground; their edges lie halfway to the neighbours."""
    lost = np.isnan(series.values)
    if not lost.any():
        return []
    edges = np.flatnonzero(np.diff(np.concatenate(([False], lost, [False])).astype(np.int8))).reshape(-1, 2)
    for low, high in edges.tolist():
        first, last = (series.cadence.starts(series.start + place) for place in (low, high))
        half: Any = 0.5 if series.cadence.counted else (last - first) / (2 * (high - low))
        axes.axvspan(first - half, last - half, facecolor=GRID, linewidth=0, zorder=0)
    return [Patch(facecolor=GRID, label="unknown")]


def _repairs(axes: Axes, series: ItemHistory, tidied: ItemHistory | None) -> list[Artist]:
    if tidied is None:
        return []
    both = min(len(series), len(tidied))
    before, after = series.values[:both], tidied.values[:both]
    changed = np.flatnonzero(~((before == after) | np.isnan(after)))
    if not changed.size:
        return []
    axes.plot(series.periods[changed], after[changed], marker="D", markersize=6, color=AMBER, linestyle="")
    return [Line2D([], [], marker="D", markersize=6, color=AMBER, linestyle="", label="repaired to")]


def _shifts(axes: Axes, one: ItemProfile) -> None:
    """Level shifts as dashed lines with their size, written above the data."""
    top = axes.get_ylim()[1]
    low, high = axes.get_ylim()
    if one.found.shifts:
        axes.set_ylim(low, high + 0.07 * (high - low))
    for shift in one.found.shifts:
        at = one.series.periods[shift.place]
        axes.axvline(at, color=PLUM, linewidth=1.2, linestyle=(0, (4, 3)))
        word = "up" if shift.size > 0 else "down"
        late = shift.place > 0.75 * len(one.series)
        axes.annotate(
            f"level {word} by {number(abs(shift.size), 3)}",
            (at, top),
            xytext=(-6 if late else 6, 4),
            textcoords="offset points",
            color=PLUM,
            ha="right" if late else "left",
        )
