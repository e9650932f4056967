"""A fitted method: what it made of the history and where it goes; and what it missed."""

import numpy as np
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Patch

from veridex.core.diagnosis.correlogram import of_values
from veridex.core.fitted.fitted import Fitted
from veridex.core.fitted.forecast import Forecast
from veridex.figures.bars import draw_bars
from veridex.figures.style import (
    AMBER,
    BANDS,
    GRID,
    INK,
    PLUM,
    TEAL,
    new_figure,
    padded_limits,
    style_axes,
    wrapped,
)

__all__ = ["draw_fit", "draw_residuals"]


def draw_fit(fitted: Fitted, forecast: Forecast) -> Figure:
    """Draw history in ink, one-step forecasts inside it in teal, the forecast in amber with its bands."""
    series = fitted.series
    ahead = forecast.frame["period"].to_numpy()
    figure = new_figure()
    axes = figure.add_subplot()
    style_axes(axes, series.cadence, series.measure, np.concatenate((series.periods, ahead)))
    for i, _ in reversed(list(enumerate(forecast.levels))):
        color = BANDS[min(i, len(BANDS) - 1)]
        axes.fill_between(ahead, forecast.lower[i], forecast.upper[i], color=color, linewidth=0)
    axes.plot(series.periods, series.values, color=INK, linewidth=1.5, marker="o", markersize=2.5)
    axes.plot(series.periods, fitted.fitted_values, color=TEAL, linewidth=1.3, linestyle=(0, (4, 2)))
    axes.plot(ahead, forecast.points, color=AMBER, linewidth=2.2, marker="o", markersize=4)
    axes.set_ylim(*padded_limits(series.values, forecast.points, forecast.lower, forecast.upper))
    axes.set_title(wrapped(f"{series.item}: {fitted.method}", 95), color=INK, fontsize=15, loc="left", pad=12)
    if fitted.reason:
        axes.text(0.5, 0.95, fitted.reason, transform=axes.transAxes, ha="center", color=INK, wrap=True)
    handles: list[Artist] = [
        Line2D([], [], color=INK, linewidth=1.5, marker="o", markersize=2.5, label="actual"),
        Line2D([], [], color=TEAL, linewidth=1.3, linestyle=(0, (4, 2)), label="fitted, one step ahead"),
        Line2D([], [], color=AMBER, linewidth=2.2, marker="o", markersize=4, label="forecast"),
    ]
    for i, level in enumerate(forecast.levels):
        handles.append(Patch(color=BANDS[min(i, len(BANDS) - 1)], label=f"{level:g} % interval of the model"))
    figure.legend(handles=handles, loc="outside lower center", ncols=len(handles), frameon=False, labelcolor=INK)
    return figure


def draw_residuals(fitted: Fitted) -> Figure:
    """Draw the residuals over time, by period of the season, and their autocorrelations, lags running down."""
    series, residuals = fitted.series, fitted.residuals
    figure = new_figure()
    grid = figure.add_gridspec(2, 2, width_ratios=(1.9, 1.0))
    over_time, by_phase, lags = (
        figure.add_subplot(grid[0, 0]),
        figure.add_subplot(grid[1, 0]),
        figure.add_subplot(grid[:, 1]),
    )
    reading = fitted.audit().reading.removeprefix(f"{series.item}, {fitted.method}, training: ")
    figure.suptitle(
        wrapped(f"{series.item}, {fitted.method}: {reading}", 115), color=INK, fontsize=12, x=0.02, ha="left"
    )
    known = ~np.isnan(residuals)
    spread = float(residuals[known].std()) if known.any() else 0.0
    style_axes(over_time, series.cadence, series.measure, series.periods)
    over_time.set_ylabel(f"actual - fitted ({series.unit})" if series.unit else "actual - fitted", color=INK)
    over_time.axhspan(-1.96 * spread, 1.96 * spread, color=GRID, alpha=0.6, linewidth=0)
    far = np.abs(residuals) > 3.0 * spread
    over_time.vlines(series.periods[known], 0.0, residuals[known], color=INK, linewidth=1.1)
    over_time.plot(series.periods[known & far], residuals[known & far], "o", color=AMBER, markersize=6)
    over_time.axhline(0.0, color=INK, linewidth=0.8)
    over_time.set_title("over time (grey: 1.96 deviations, dots: beyond 3)", color=INK, fontsize=11, loc="left")
    _by_phase(by_phase, fitted, residuals)
    bars = of_values(residuals, series.item, series.season_length, None, 0)
    if bars.reason:
        lags.axis("off")
        lags.text(0.5, 0.5, wrapped(bars.reason, 40), ha="center", color=INK, transform=lags.transAxes)
    else:
        bounds = np.full(bars.acf.size, bars.bound)
        draw_bars(lags, bars.acf, bounds, "autocorrelation", series.season_length)
    return figure


def _by_phase(axes: Axes, fitted: Fitted, residuals: np.ndarray) -> None:
    """Residuals of each period of the season side by side, with their means; of all together where there is none."""
    series = fitted.series
    season_length = series.season_length
    phases = series.ordinals % season_length
    style_axes(axes, series.cadence, series.measure, series.periods)
    axes.set_ylabel(f"actual - fitted ({series.unit})" if series.unit else "actual - fitted", color=INK)
    axes.axhline(0.0, color=INK, linewidth=0.8)
    firsts = {int(phase): int(ordinal) for ordinal, phase in zip(series.ordinals[::-1], phases[::-1], strict=True)}
    shown = sorted(firsts)
    axes.plot(phases, residuals, "o", color=TEAL, alpha=0.55, markersize=4)
    for phase in shown:
        values = residuals[(phases == phase) & ~np.isnan(residuals)]
        if values.size:
            axes.hlines(values.mean(), phase - 0.32, phase + 0.32, color=PLUM, linewidth=2.4)
    every = -(-len(shown) // 12)
    names = [series.phase_name(firsts[phase]) if season_length > 1 else "" for phase in shown[::every]]
    axes.set_xticks(shown[::every], [name[:3] if series.cadence.unit == "M" else name for name in names])
    axes.set_title("by period of the season (bars: means)", color=INK, fontsize=11, loc="left")
