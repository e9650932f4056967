"""One series, what transform and differences leave of it, and its correlogram, at a glance."""

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
    """Draw the series in ink and below it what is left in teal; beside both their correlations, lags running down."""
    figure = new_figure()
    grid = figure.add_gridspec(2, 2, width_ratios=(1.9, 1.0))
    top, below, lags = (
        figure.add_subplot(grid[0, 0]),
        figure.add_subplot(grid[1, 0]),
        figure.add_subplot(grid[:, 1]),
    )
    style_axes(top, series.cadence, series.measure, series.periods)
    top.plot(series.periods, series.values, color=INK, linewidth=1.5)
    top.set_ylim(*padded_limits(series.values))
    reading = finding.reading.removeprefix(f"{series.item}: ")
    figure.suptitle(wrapped(f"{series.item}: {reading}", 115), color=INK, fontsize=12, x=0.02, ha="left")
    _left(below, series, advice)
    below.set_xlim(top.get_xlim())
    if bars.reason:
        lags.axis("off")
        lags.text(0.5, 0.5, wrapped(bars.reason, 40), ha="center", color=INK, transform=lags.transAxes)
        return figure
    title = "correlations of what is left\n(bars: autocorrelation, diamonds: partial)"
    draw_bars(lags, bars.acf, bars.moving_bound, title, series.season_length, bars.pacf)
    return figure


def _left(axes: Axes, series: ItemHistory, advice: Advice) -> None:
    """The series after transform, season and differences."""
    left = advice.values
    periods = series.periods[series.values.size - left.size :] if left.size else series.periods
    style_axes(axes, series.cadence, series.measure, periods)
    axes.set_ylabel("")
    axes.set_title(
        wrapped(f"after the advice: {advice.reading.removeprefix(f'{series.item}: ')}", 78),
        color=INK,
        fontsize=11,
        loc="left",
    )
    if left.size:
        axes.axhline(float(left.mean()), color=GRID, linewidth=1.2)
        axes.plot(periods, left, color=TEAL, linewidth=1.3)
