"""What each part of a method adds to demand, part by part on one scale of time."""

import numpy as np
from matplotlib.figure import Figure
from matplotlib.ticker import MaxNLocator

from veridex.core.fitted.fitted import Fitted
from veridex.figures.style import AMBER, GRID, INK, new_figure, style_axes, wrapped

__all__ = ["draw_contributions"]

BASES = ("trend", "arima", "level")
"""Parts that carry the level of demand, on a scale of their own."""

STILL = 1e-9
"""A part that moves less than this share of the largest does not move but for rounding."""

MOST = 7
"""Parts shown, those that move demand most."""


def draw_contributions(fitted: Fitted, horizon: int) -> Figure | None:
    """Draw a panel per part, the forecast in amber; all but the trend share a scale. None without parts."""
    table = fitted.contributions(horizon)
    parts = [name for name in table.columns if name not in ("period", "step", "total")]
    swings = {name: float(np.ptp(table[name].to_numpy())) for name in parts}
    moving = [name for name in parts if swings[name] > STILL * max(swings.values(), default=0.0)]
    if not moving:
        return None
    shown = sorted(sorted(moving, key=lambda name: -swings[name])[:MOST], key=parts.index)
    figure = new_figure()
    grid = figure.add_gridspec(len(shown), 1)
    past = table["step"].to_numpy() == 0
    widest = 1.1 * max((swings[name] for name in shown if name not in BASES), default=0.0)
    for i, name in enumerate(shown):
        axes = figure.add_subplot(grid[i])
        style_axes(axes, fitted.series.cadence, fitted.series.measure, table["period"].to_numpy())
        values = table[name].to_numpy()
        from_last = past | (np.cumsum(~past) == 0)
        if name not in BASES:
            axes.axhline(0.0, color=GRID, linewidth=1.0)
        axes.yaxis.set_major_locator(MaxNLocator(3))
        axes.plot(table["period"][from_last], values[from_last], color=INK, linewidth=1.4)
        ahead = ~past | np.append(~past[1:], False)
        axes.plot(table["period"][ahead], values[ahead], color=AMBER, linewidth=2.2)
        if widest > swings[name] and name not in BASES:
            middle = 0.5 * (values.max() + values.min())
            axes.set_ylim(middle - 0.55 * widest, middle + 0.55 * widest)
        axes.set_ylabel("")
        axes.set_title(name, color=INK, fontsize=10, loc="left", pad=3)
        if i < len(shown) - 1:
            axes.tick_params(labelbottom=False)
    left = f", {len(moving) - len(shown)} smaller ones left out" if len(moving) > len(shown) else ""
    unit = f" ({fitted.series.measure.unit})" if fitted.series.measure.unit else ""
    title = f"{fitted.series.item}: what each part adds{unit}{left}; the forecast in amber. {fitted.method}"
    figure.suptitle(wrapped(title, 110), color=INK, fontsize=12, x=0.02, ha="left")
    return figure
