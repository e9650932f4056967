"""One series, what transform and differences leave of it, and its correlogram, at a glance."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from veridex.core.diagnosis.correlogram import Correlogram
from veridex.core.diagnosis.differencing import Advice
from veridex.core.diagnosis.stationarity import Stationarity
from veridex.core.history.item import ItemHistory
from veridex.figures.bars import draw_bars
from veridex.figures.style import GRID, INK, TEAL, new_figure, padded_limits, style_axes, wrapped

__all__ = ["draw_stationarity"]


def draw_stationarity(series: ItemHistory, finding: Stationarity, advice: Advice, bars: Correlogram) -> Figure:
    """Draw the series in ink, what is left of it in teal, and the bars of both correlations with their bounds."""
    figure = new_figure()
    grid = figure.add_gridspec(3, 2, height_ratios=(1.25, 1.0, 1.0))
    top, middle = figure.add_subplot(grid[0, :]), figure.add_subplot(grid[1, :])
    style_axes(top, series.cadence, series.unit, series.periods)
    top.plot(series.periods, series.values, color=INK, linewidth=1.5)
    top.set_ylim(*padded_limits(series.values))
    reading = finding.reading.removeprefix(f"{series.item}: ")
    top.set_title(wrapped(f"{series.item}: {reading}", 125), color=INK, fontsize=11, loc="left")
    _left(middle, series, advice)
    middle.set_xlim(top.get_xlim())
    if bars.reason:
        note = figure.add_subplot(grid[2, :])
        note.axis("off")
        note.text(0.5, 0.5, bars.reason, ha="center", color=INK)
        return figure
    cycle = series.cycle_length
    plain, partial = figure.add_subplot(grid[2, 0]), figure.add_subplot(grid[2, 1])
    draw_bars(plain, bars.acf, bars.moving_bound, "autocorrelation of what is left", cycle)
    draw_bars(partial, bars.pacf, np.full(bars.pacf.size, bars.bound), "partial autocorrelation", cycle)
    return figure


def _left(axes: Axes, series: ItemHistory, advice: Advice) -> None:
    """The series after transform, season and differences."""
    left = advice.values
    periods = series.periods[series.values.size - left.size :] if left.size else series.periods
    style_axes(axes, series.cadence, None, periods)
    axes.set_ylabel("")
    axes.set_title(
        wrapped(f"after the advice: {advice.reading.removeprefix(f'{series.item}: ')}", 125),
        color=INK,
        fontsize=11,
        loc="left",
    )
    if left.size:
        axes.axhline(float(left.mean()), color=GRID, linewidth=1.2)
        axes.plot(periods, left, color=TEAL, linewidth=1.3)
