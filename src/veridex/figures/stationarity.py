"""One series, what transform and differences leave of it, and its correlogram, at a glance."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.ticker import MaxNLocator
from numpy.typing import NDArray

from veridex.core.diagnosis.correlogram import Correlogram
from veridex.core.diagnosis.differencing import Advice
from veridex.core.diagnosis.stationarity import Stationarity
from veridex.core.history.item import ItemHistory
from veridex.figures.style import AMBER, GRID, INK, PAPER, TEAL, new_figure, padded_limits, style_axes, wrapped

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
    _bars(plain, bars.acf, bars.moving_bound, "autocorrelation of what is left", cycle)
    _bars(partial, bars.pacf, np.full(bars.pacf.size, bars.bound), "partial autocorrelation", cycle)
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


def _bars(axes: Axes, values: NDArray[np.float64], bounds: NDArray[np.float64], title: str, cycle: int) -> None:
    """Bars per lag, those beyond their bounds in amber, those of the cycle marked on the axis."""
    lags = np.arange(1, values.size + 1)
    axes.set_facecolor(PAPER)
    for side in ("top", "right", "left", "bottom"):
        axes.spines[side].set_visible(False)
    axes.fill_between(lags, -bounds, bounds, color=GRID, alpha=0.6, linewidth=0, step="mid")
    with np.errstate(invalid="ignore"):
        beyond = np.abs(values) > bounds
    axes.bar(lags, values, width=0.55, color=[AMBER if out else INK for out in beyond])
    axes.axhline(0.0, color=INK, linewidth=0.8)
    largest = float(np.nanmax(np.abs(np.concatenate((values, bounds)))))
    axes.set_ylim(-1.1 * largest, 1.1 * largest)
    axes.yaxis.set_major_locator(MaxNLocator(4))
    axes.tick_params(colors=INK, length=0, labelsize=9)
    seasonal = 1 < cycle <= values.size
    if seasonal:
        axes.set_xticks(np.arange(cycle, values.size + 1, cycle))
    else:
        axes.xaxis.set_major_locator(MaxNLocator(6, integer=True))
    axes.set_xlabel(f"lag ({'ticks at the cycle, ' if seasonal else ''}grey: 95 % of white noise)", color=INK)
    axes.set_title(title, color=INK, fontsize=11, loc="left")
