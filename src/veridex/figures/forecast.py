"""One item's history with its published forecast and bands."""

import numpy as np
import pandas as pd
from matplotlib.artist import Artist
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Patch

from veridex.core.methods.catalogue import method
from veridex.core.methods.short_names import short_name
from veridex.core.periods.cadence import Cadence
from veridex.core.publication.publication import Publication
from veridex.core.scoring.levels import level_label
from veridex.figures.style import AMBER, BANDS, INK, new_figure, padded_limits, style_axes

__all__ = ["draw_forecast"]

TURNS_SHOWN = 6


def draw_forecast(publication: Publication, item: str) -> Figure:
    """Draw history in ink, the forecast in amber, its bands in amber tints labelled with their level."""
    frame = publication.frame[publication.frame["item"] == item]
    data = publication.manifest["data"]
    cadence = Cadence.named(data["cadence"])
    frame = frame[frame["scenario"] == ""]  # other futures have publications' tables, not this figure
    past, ahead = frame[frame["kind"] == "actual"], frame[frame["kind"] == "forecast"]
    past = past.tail(max(TURNS_SHOWN * data["season_length"], 3 * len(ahead)))
    figure = new_figure()
    axes = figure.add_subplot()
    style_axes(axes, cadence, data["unit"], pd.concat((past["period"], ahead["period"])).to_numpy())

    levels = publication.manifest["levels"]
    labels = [level_label(level) for level in levels]
    for level, label in reversed(list(enumerate(labels))):
        axes.fill_between(
            ahead["period"],
            ahead[f"lower_{label}"],
            ahead[f"upper_{label}"],
            color=BANDS[min(level, 3)],
            linewidth=0,
        )
    axes.plot(past["period"], past["value"], color=INK, linewidth=1.6, marker="o", markersize=2.5)
    axes.plot(ahead["period"], ahead["value"], color=AMBER, linewidth=2.2, marker="o", markersize=4)

    bounds = [ahead[f"{side}_{label}"] for label in labels for side in ("lower", "upper")]
    axes.set_ylim(*padded_limits(past["value"], ahead["value"], *bounds))
    steps = len(ahead)
    length = cadence.noun if steps == 1 else f"{steps} {cadence.plural}"
    axes.set_title(f"{item}: next {length}", color=INK, fontsize=15, loc="left", pad=12)
    entry = publication.manifest["items"][item]
    by = f"forecast: {short_name(method(entry['method']))}"
    handles: list[Artist] = [
        Line2D([], [], color=INK, linewidth=1.6, marker="o", markersize=2.5, label="actual"),
        Line2D([], [], color=AMBER, linewidth=2.2, marker="o", markersize=4, label=by),
    ]
    handles += [Patch(color=BANDS[min(j, 3)], label=_band_label(entry, level)) for j, level in enumerate(levels)]
    # A long method name needs a second row: the figure is about a hundred letters wide.
    letters = sum(len(str(handle.get_label())) + 8 for handle in handles)
    columns = -(-len(handles) // -(-letters // 145))
    figure.legend(handles=handles, loc="outside lower center", ncols=columns, frameon=False, labelcolor=INK)
    if not np.isfinite(ahead["value"].to_numpy(dtype=float)).any():
        axes.text(0.5, 0.5, ahead["reason"].iloc[0], transform=axes.transAxes, ha="center", color=INK, wrap=True)
    return figure


def _band_label(entry: dict[str, object], level: float) -> str:
    """The level, and what share of actuals such bands held in the backtest."""
    scores = entry.get("scores")
    held = scores["coverage"].get(f"{level:g}") if isinstance(scores, dict) else None
    if held is not None:
        return f"{level:g} % interval (held {held:.0f} % when tested)"
    return f"{level:g} % interval (coverage not tested)"
