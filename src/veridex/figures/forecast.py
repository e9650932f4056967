"""One item's history with its published forecast and bands."""

import numpy as np
from matplotlib.artist import Artist
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Patch

from veridex.core.arrays import FloatArray
from veridex.core.methods.short_names import short_name
from veridex.core.publication.dossier import ItemPublication, Scores
from veridex.core.publication.publication import Publication
from veridex.figures.style import AMBER, BANDS, INK, PLUM, new_figure, padded_limits, style_axes, wrapped

__all__ = ["draw_forecast"]

TURNS_SHOWN = 6


def draw_forecast(publication: Publication, item: str) -> Figure:
    """Draw history in ink, the forecast in amber, its bands in amber tints labelled with their level."""
    one, cadence, demand = publication[item], publication.cadence, publication.head.demand
    steps = max(one.horizon, 0)
    known = one.past[-max(TURNS_SHOWN * demand.season_length, 3 * steps) :]
    past = cadence.starts(np.arange(one.origin + 1 - known.size, one.origin + 1))
    ahead = cadence.starts(np.arange(one.origin + 1, one.origin + 1 + steps))
    points, bounds = _numbers(publication, one)
    figure = new_figure()
    axes = figure.add_subplot()
    style_axes(axes, cadence, demand.measure, np.concatenate((past, ahead)))

    levels = publication.head.wanted.levels
    for j, (lower, upper) in reversed(list(enumerate(bounds))):
        axes.fill_between(ahead, lower, upper, color=BANDS[min(j, 3)], linewidth=0)
    axes.plot(past, known, color=INK, linewidth=1.6, marker="o", markersize=2.5)
    axes.plot(ahead, points, color=AMBER, linewidth=2.2, marker="o", markersize=4)

    axes.set_ylim(*padded_limits(known, points, *(side for pair in bounds for side in pair)))
    length = cadence.noun if steps == 1 else f"{steps} {cadence.plural}"
    axes.set_title(f"{item}: next {length}", color=INK, fontsize=15, loc="left", pad=12)
    if one.cautions:
        said = wrapped(f"Caution: {'; '.join(caution.why for caution in one.cautions)}", 130)
        axes.text(0.01, 0.985, said, transform=axes.transAxes, va="top", color=PLUM, fontsize=10)
    by = "forecast" if one.method is None else f"forecast: {short_name(one.method)}"
    handles: list[Artist] = [
        Line2D([], [], color=INK, linewidth=1.6, marker="o", markersize=2.5, label="actual"),
        Line2D([], [], color=AMBER, linewidth=2.2, marker="o", markersize=4, label=by),
    ]
    handles += [Patch(color=BANDS[min(j, 3)], label=_band_label(one.scores, level)) for j, level in enumerate(levels)]
    # A long method name needs a second row: the figure is about a hundred letters wide.
    letters = sum(len(str(handle.get_label())) + 8 for handle in handles)
    columns = -(-len(handles) // -(-letters // 145))
    figure.legend(handles=handles, loc="outside lower center", ncols=columns, frameon=False, labelcolor=INK)
    if not np.isfinite(points).any():
        axes.text(0.5, 0.5, one.reason, transform=axes.transAxes, ha="center", color=INK, wrap=True)
    return figure


def _numbers(publication: Publication, one: ItemPublication) -> tuple[FloatArray, list[tuple[FloatArray, FloatArray]]]:
    """Forecasts, and the bounds of each level; NaN where there are none."""
    wanted = publication.head.wanted
    nothing = np.full(max(one.horizon, 0), np.nan)
    if one.outlook is None:
        return nothing, [(nothing, nothing)] * len(wanted.levels)
    bands = one.outlook.bands
    return one.outlook.points, list(zip(bands.lower, bands.upper, strict=True))


def _band_label(scores: Scores | None, level: float) -> str:
    """The level, and what share of actuals such bands held in the backtest."""
    held = np.nan if scores is None else scores.coverage.get(f"{level:g}", np.nan)
    if np.isfinite(held):
        return f"{level:g} % interval (held {held:.0f} % when tested)"
    return f"{level:g} % interval (coverage not tested)"
