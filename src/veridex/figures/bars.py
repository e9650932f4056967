"""Bars of autocorrelations with their bounds, upright or lying."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.ticker import MaxNLocator
from numpy.typing import NDArray

from veridex.figures.style import AMBER, GRID, INK, PAPER

__all__ = ["draw_bars"]


def draw_bars(
    axes: Axes,
    values: NDArray[np.float64],
    bounds: NDArray[np.float64],
    title: str,
    cycle: int,
    *,
    lying: bool = False,
) -> None:
    """Bars per lag, those beyond their bounds in amber, those of the cycle marked on the axis."""
    lags = np.arange(1, values.size + 1)
    axes.set_facecolor(PAPER)
    for side in ("top", "right", "left", "bottom"):
        axes.spines[side].set_visible(False)
    with np.errstate(invalid="ignore"):
        beyond = np.abs(values) > bounds
    colors = [AMBER if out else INK for out in beyond]
    largest = 1.1 * float(np.nanmax(np.abs(np.concatenate((values, bounds)))))
    along, across = (axes.yaxis, axes.xaxis) if lying else (axes.xaxis, axes.yaxis)
    # The ground of the bounds reaches past the first and the last bar.
    ground = np.concatenate(([0.5], lags, [values.size + 0.5]))
    within = np.concatenate((bounds[:1], bounds, bounds[-1:]))
    if lying:
        axes.fill_betweenx(ground, -within, within, color=GRID, alpha=0.6, linewidth=0, step="mid")
        axes.barh(lags, values, height=0.55, color=colors)
        axes.axvline(0.0, color=INK, linewidth=0.8)
        axes.set_xlim(-largest, largest)
        axes.set_ylim(values.size + 0.6, 0.4)
    else:
        axes.fill_between(ground, -within, within, color=GRID, alpha=0.6, linewidth=0, step="mid")
        axes.bar(lags, values, width=0.55, color=colors)
        axes.axhline(0.0, color=INK, linewidth=0.8)
        axes.set_ylim(-largest, largest)
    across.set_major_locator(MaxNLocator(4))
    axes.tick_params(colors=INK, length=0, labelsize=9)
    seasonal = 1 < cycle <= values.size
    if seasonal:
        along.set_ticks(np.arange(cycle, values.size + 1, cycle))
    else:
        along.set_major_locator(MaxNLocator(6, integer=True))
    label = f"lag ({'ticks at the cycle, ' if seasonal else ''}grey: 95 % of white noise)"
    (axes.set_ylabel if lying else axes.set_xlabel)(label, color=INK)
    axes.set_title(title, color=INK, fontsize=11, loc="left")
