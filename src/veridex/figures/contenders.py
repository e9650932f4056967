"""All methods' forecasts from the last origin, side by side on one scale over the held-back actuals."""

import math
from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Patch

from veridex.core.backtest.trial import Trial
from veridex.core.methods.method import Method
from veridex.core.methods.short_names import short_name
from veridex.core.methods.words import counted
from veridex.core.readable import number
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.evidence import Entry
from veridex.core.verdict.verdict import Verdict
from veridex.figures.style import (
    AMBER,
    GRID,
    INK,
    TEAL,
    hatched,
    new_figure,
    padded_limits,
    style_axes,
    wrapped,
)

__all__ = ["draw_contenders"]


def draw_contenders(verdict: Verdict, item: str) -> Figure:
    """Draw a panel per method, best first; the winner in amber, the others in teal, the holdout on hatched ground."""
    trial = verdict.trial
    choice = verdict.choice(item)
    one, series = trial[item], trial.history[item]
    origin = int(np.flatnonzero(~np.isnan(one.actuals).all(axis=1))[-1])
    errors = _errors(choice)
    entries = sorted(choice.evidence.entries, key=lambda e: (bool(e.missing), errors[e.method], e.parameters))
    points = one.points[:, origin]
    forecasts = {entry.method: points[trial.method_index(entry.method)] for entry in entries}
    blend = choice.winner
    if blend is not None and blend.method not in forecasts and choice.hindcast is not None:
        # A blend stands first, by the weights that it would have had at this origin.
        entries.insert(0, blend)
        forecasts[blend.method] = choice.hindcast.points[-1]
    start = one.origins[origin] + 1
    horizon = points.shape[-1]
    shown = series.since(series.periods[max(0, len(series) - 2 * horizon - series.season_length)])

    columns = 5 if len(entries) > 12 else 4 if len(entries) > 6 else 3
    figure = new_figure()
    grid = figure.subplots(math.ceil(len(entries) / columns), columns, sharex=True, sharey=True, squeeze=False)
    panels = list(grid.ravel())
    limits = padded_limits(shown.values, points)
    ahead = series.cadence.starts(np.arange(start, start + horizon))
    for axes, entry in zip(panels, entries, strict=False):
        style_axes(axes, series.cadence, series.measure, shown.periods, small=True)
        hatched(axes, ahead[0], ahead[-1])
        axes.plot(shown.periods, shown.values, color=INK, linewidth=1.2)
        won = blend is not None and blend.method == entry.method
        colour = AMBER if won else TEAL
        forecast = forecasts[entry.method]
        axes.plot(ahead, forecast, color=colour, linewidth=2.0)
        if np.isnan(forecast).all():
            axes.text(0.04, 0.06, wrapped(entry.missing, 38), transform=axes.transAxes, fontsize=7.5, color=INK)
        axes.set_ylim(*limits)
        axes.set_title(_title(choice, entry, errors[entry.method]), fontsize=8.5, loc="left", color=colour)
        if won:
            for side in axes.spines.values():
                side.set(visible=True, color=AMBER, linewidth=1.5)
    for axes in panels[len(entries) :]:
        axes.set_visible(False)
    _show_dates_below_gaps(panels, len(entries), columns)
    _finish(figure, trial, item, start, choice)
    return figure


def _errors(choice: Choice) -> dict[Method, float]:
    """The error of each method and of the blend on the same cells."""
    claim, entries = choice.claim, choice.evidence.entries
    own = claim.errors if claim.origins else np.array([entry.error for entry in entries])
    errors = {entry.method: float(error) for entry, error in zip(entries, own, strict=True)}
    return errors if choice.winner is None else {choice.winner.method: claim.error} | errors


def _title(choice: Choice, entry: Entry, error: float) -> str:
    measure = choice.evidence.measure.upper()
    score = "not tested at every origin" if entry.missing else f"{measure} {number(error, 3)}"
    name = "blend, as decided then" if choice.joined and entry is choice.winner else short_name(entry.method)
    return f"{wrapped(name, 28)}\n{score}"


def _show_dates_below_gaps(panels: Sequence[Axes], used: int, columns: int) -> None:
    """A panel above an empty place shows the dates that its column would otherwise lack."""
    for axes in panels[max(0, used - columns) : used]:
        axes.tick_params(labelbottom=True)


def _finish(figure: Figure, trial: Trial, item: str, start: int, choice: Choice) -> None:
    cadence = trial.history.cadence
    unit = f", {trial.history.measure.unit}" if trial.history.measure.unit else ""
    figure.suptitle(
        f"{item}: forecasts made at the end of {cadence.text(start - 1)}, and what came (one scale{unit})",
        x=0.01,
        ha="left",
        fontsize=14,
        color=INK,
    )
    handles = [
        Line2D([], [], color=INK, linewidth=1.2, label="actual"),
        Line2D([], [], color=AMBER, linewidth=2.0, label="forecast of the winner"),
        Line2D([], [], color=TEAL, linewidth=2.0, label="forecast of a contender"),
        Patch(facecolor="#f1efe8", edgecolor=GRID, hatch="///", label="held back"),
    ]
    figure.legend(handles=handles, loc="outside lower left", ncols=4, frameon=False, labelcolor=INK)
    origins = counted(choice.claim.origins or choice.evidence.origins, "origin")
    said = f"{choice.evidence.measure.upper()}: mean over {origins}"
    if choice.claim.windows:
        said += f", {counted(choice.claim.windows, 'separate window')}"
    figure.text(0.99, 0.012, said, ha="right", fontsize=8, color=INK)
