"""Standings with their uncertainty: each method's measure, and how sure its distance from the benchmark is."""

import numpy as np
from matplotlib.figure import Figure
from matplotlib.lines import Line2D

from veridex.core.backtest.rivalry import distances
from veridex.core.backtest.trial import Trial
from veridex.figures.style import AMBER, INK, TEAL, bare_axes, new_figure, wrapped

__all__ = ["draw_standings"]

LONGEST = 44


def draw_standings(trial: Trial, measure: str = "mase") -> Figure:
    """Draw a row per method, best at the top: its measure, and the 95 % interval of its distance from the benchmark.

    The interval is laid around the measure, so that one which stays left of the benchmark's dotted line is a method
    that beats it. It comes from how the difference moves from origin to origin, over all items or on a single one.
    """
    table = trial.standings(measure)
    table = table[table[measure].notna()]
    benchmark = trial.benchmarks[0].text
    base = table.loc[table["method"] == benchmark, measure]
    figure = new_figure()
    axes = figure.add_subplot()
    reach = distances(trial, table["method"].tolist(), benchmark, measure)
    for row, (text, value) in enumerate(zip(table["method"], table[measure], strict=True)):
        color = AMBER if row == 0 else INK if text == benchmark else TEAL
        low, high = reach[row]
        if len(base) and np.isfinite(low):
            axes.plot([base.iloc[0] + low, base.iloc[0] + high], [row, row], color=color, linewidth=2.4, alpha=0.55)
        axes.plot(value, row, "o", color=color, markersize=8)
    if len(base):
        axes.axvline(base.iloc[0], color=INK, linestyle=":", linewidth=1.4)
    named = zip(table["method"], table[measure], strict=True)
    axes.set_yticks(range(len(table)), [f"{wrapped(text, LONGEST)}   {value:.3g}" for text, value in named])
    axes.set_ylim(len(table) - 0.5, -0.5)
    bare_axes(axes, "x")
    many = len(trial.history) > 1
    axes.set_xlabel(f"{measure}, mean of {len(trial.history)} items" if many else measure, color=INK)
    cells = int(table["n"].iloc[0]) if len(table) else 0
    axes.set_title(f"Standings on {cells:,} cells that every method has", color=INK, fontsize=13, loc="left", pad=12)
    handles = [
        Line2D([], [], color=INK, linestyle=":", label=f"{benchmark} (benchmark)"),
        Line2D([], [], color=TEAL, linewidth=2.4, alpha=0.55, label="95 % interval of the distance from the benchmark"),
    ]
    figure.legend(handles=handles, loc="outside lower center", ncols=2, frameon=False, labelcolor=INK)
    return figure
