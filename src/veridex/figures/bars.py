"""Bars of autocorrelations with their bounds, lags running down."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.ticker import MaxNLocator

from veridex.core.arrays import FloatArray
from veridex.figures.style import AMBER, GRID, INK, PAPER, PLUM, number_axis

__all__ = ["draw_bars"]


def draw_bars(
    axes: Axes,
    values: FloatArray,
    bounds: FloatArray,
    title: str,
    season_length: int,
    partial: FloatArray | None = None,
) -> None:
    """Bars per lag, those beyond their bounds in amber; partial autocorrelations as diamonds; ticks at the season."""
    lags = np.arange(1, values.size + 1)
    axes.set_facecolor(PAPER)
    for side in ("top", "right", "left", "bottom"):
        axes.spines[side].set_visible(False)
    with np.errstate(invalid="ignore"):
        beyond = np.abs(values) > bounds
    colors = [AMBER if out else INK for out in beyond]
    shown = values if partial is None else np.concatenate((values, partial))
    largest = 1.1 * float(np.nanmax(np.abs(np.concatenate((shown, bounds)))))
    # The ground of the bounds reaches past the first and the last bar.
    ground = np.concatenate(([0.5], lags, [values.size + 0.5]))
    within = np.concatenate((bounds[:1], bounds, bounds[-1:]))
    axes.fill_betweenx(ground, -within, within, color=GRID, alpha=0.6, linewidth=0, step="mid")
    axes.barh(lags, values, height=0.55, color=colors)
    axes.axvline(0.0, color=INK, linewidth=0.8)
    if partial is not None:
        axes.plot(partial, lags, "D", color=PLUM, markersize=4.5, markeredgecolor=PAPER, markeredgewidth=0.6)
    axes.set_xlim(-largest, largest)
    axes.set_ylim(values.size + 0.6, 0.4)
    number_axis(axes, small=True, along="x")
    axes.tick_params(colors=INK, length=0, labelsize=9)
    seasonal = 1 < season_length <= values.size
    if seasonal:
        axes.yaxis.set_ticks(np.arange(season_length, values.size + 1, season_length))
    else:
        axes.yaxis.set_major_locator(MaxNLocator(6, integer=True))
    axes.set_ylabel("lag (ticks at the season)" if seasonal else "lag", color=INK, fontsize=9)
    said = title if partial is not None else f"{title} (grey: noise)"
    axes.set_title(said, color=INK, fontsize=10 if partial is not None else 11, loc="left")
