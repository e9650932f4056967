"""What intervals held against the level that they claim."""

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D

from veridex.core.calibration.held import KINDS
from veridex.core.verdict.verdict import Verdict
from veridex.figures.style import AMBER, GRID, INK, PAPER, TEAL, bare_axes, new_figure

__all__ = ["draw_coverage"]

LOOKS = {"calibrated": (AMBER, "o"), "model": (TEAL, "s")}
APART, HALF = 0.3, 0.4
"""How far the kinds of a level stand apart, and half the length of the line at which all should stand."""


def draw_coverage(verdict: Verdict, item: str | None = None) -> Figure:
    """Draw, for each level and kind, the share of actuals held when tested; of many items also their middle half.

    A point on its dotted line held what it claims; below it intervals were too narrow.
    """
    table = verdict.intervals
    if item is not None:
        verdict.choice(item)
        table = table[table["item"] == item]
    table = table[table["coverage"].notna()]
    figure = new_figure()
    axes = figure.add_subplot()
    levels = sorted(verdict.trial.levels)
    for k, level in enumerate(levels):
        axes.plot([k - HALF, k + HALF], [level, level], ":", color=INK, linewidth=1.6)
        for place, kind in enumerate(KINDS):
            own = table[(table["kind"] == kind) & (table["level"] == level)]
            if len(own):
                _draw_kind(axes, k + (place - 0.5) * APART, own, *LOOKS[kind])
    axes.set_xlim(-0.6, len(levels) - 0.4)
    lowest = [float(own["coverage"].quantile(0.25)) for _, own in table.groupby(["kind", "level"])]
    axes.set_ylim(max(0.0, min([*lowest, *levels], default=50.0) - 8.0), 102)
    axes.set_xticks(range(len(levels)), [f"{level:g} %" for level in levels])
    bare_axes(axes)
    axes.set_xlabel("level that the interval claims", color=INK)
    axes.set_ylabel("percent of actuals held when tested", color=INK)
    whose = item if item is not None else f"{table['item'].nunique()} items"
    axes.set_title(
        f"{whose}: what intervals held, made by what was known then",
        color=INK,
        fontsize=13,
        loc="left",
        pad=12,
    )
    handles = [
        Line2D([], [], color=LOOKS[kind][0], marker=LOOKS[kind][1], linestyle="", markersize=9, label=kind)
        for kind in KINDS
    ]
    handles.append(Line2D([], [], color=INK, linestyle=":", label="holds what it claims"))
    if item is None and table["item"].nunique() > 1:
        handles.append(Line2D([], [], color=GRID, linewidth=5, label="middle half of the items"))
    figure.legend(handles=handles, loc="outside lower center", ncols=5, frameon=False, labelcolor=INK)
    return figure


def _draw_kind(axes: Axes, at: float, own: pd.DataFrame, color: str, marker: str) -> None:
    """The share held over all cells, and the middle half of the items."""
    held = float(np.average(own["coverage"], weights=own["cells"]))
    if len(own) > 1:
        low, high = np.quantile(own["coverage"], (0.25, 0.75))
        axes.plot([at, at], [low, high], color=color, linewidth=6, alpha=0.35, solid_capstyle="butt")
    axes.plot(at, held, marker, color=color, markersize=9)
    ground = {"facecolor": PAPER, "edgecolor": "none", "pad": 1.0}
    axes.annotate(f"{held:.1f}", (at, held), (12, 0), textcoords="offset points", va="center", color=color, bbox=ground)
