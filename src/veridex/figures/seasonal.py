"""The seasons of an item: what each period of one usually has, with its spread, and every cycle as a strip."""

from typing import Unpack

import numpy as np
from matplotlib.axes import Axes
from matplotlib.colors import LinearSegmentedColormap
from matplotlib.figure import Figure
from matplotlib.patches import Patch

from veridex.core.diagnosis.season_shape import SeasonShape, season_shape
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.periods.seasons import season_in_words
from veridex.core.readable import number
from veridex.figures.sheet import Asked, Sheet, view, width_of
from veridex.figures.style import AMBER, GRID, INK, PAPER, TEAL, TEALS, bare_axes, number_axis
from veridex.figures.timeline import line_key, near

__all__ = ["seasons"]

HEAT = LinearSegmentedColormap.from_list("house", (TEAL, "#a9cdd3", PAPER, "#eab981", AMBER))
"""Below the level in teal, above it in amber."""

MOST_CELLS = 60
"""Periods of a season shown one by one; longer seasons are gathered into so many spans at most."""


@view
def seasons(series: History | ItemHistory, *, season: float | None = None, **asked: Unpack[Asked]) -> Figure:
    """Draw what each period of a season usually has against the level around it, and each cycle as a row of a strip.

    Above, for each period of the season the middle half of all cycles as a bar, the furthest as a line, the median as a
    mark. Below, a cell for each period, a row for each cycle, newest at the bottom: amber above the level, teal below
    it. The level is a moving average over the season; demand above zero is compared in percent of it.

    Parameters
    ----------
    series : ItemHistory or History of one item
    season : float, optional
        One of several; by default all that the item shows, the first one where it shows none.
    **asked
        since, until, scale (of the profile), title, ax.
    """
    sheet, one = Sheet.of(asked, panels=True), only_item(series)
    first, stop = sheet.span(one.cadence, one.start, one.start + len(one))
    lengths = (season,) if season is not None else one.seasons or (float(one.season_length),)
    shapes = [shape for length in lengths if (shape := season_shape(one, length, first, stop, MOST_CELLS)) is not None]
    if not shapes:
        axes = sheet.figure.add_subplot()
        axes.axis("off")
        said = "no season: demand has no period of a calendar's year, week or day to be compared by"
        axes.text(0.5, 0.5, said, ha="center", color=INK, transform=axes.transAxes)
        sheet.titled(f"{one.item}: no season")
        return sheet.whole
    grid = sheet.figure.subplots(2, len(shapes), squeeze=False, height_ratios=(1.25, 1.0))
    for column, shape in enumerate(shapes):
        _profile(sheet, grid[0, column], one, shape)
        _strip(sheet, grid[1, column], shape)
        for axes in grid[:, column]:
            _phases(axes, shape)
    sheet.titled(_title(one, shapes))
    sheet.legend(
        [
            line_key("median of all cycles", INK, width=0, marker="o"),
            Patch(color=TEALS[0], label="middle half"),
            line_key("furthest", TEAL, width=1.0),
            Patch(color=AMBER, label="above the level"),
            Patch(color=TEAL, label="below it"),
            Patch(facecolor=GRID, label="unknown"),
        ]
    )
    return sheet.whole


def _title(one: ItemHistory, shapes: list[SeasonShape]) -> str:
    said = []
    for shape in shapes:
        word = season_in_words(one.cadence, shape.length)
        if not np.isfinite(shape.median).any():
            return f"{one.item}: nothing is known of its seasons"
        ends = int(np.nanargmax(shape.median)), int(np.nanargmin(shape.median))
        high, low = (f"{shape.names[k]} {number(float(shape.median[k]), 3)}" for k in ends)
        said.append(f"{word}: {high} % of the level, {low} %" if shape.relative else f"{word}: {high} above, {low}")
    weak = "" if one.seasons else " (no season is plain to see)"
    return f"{one.item}: {'; '.join(said)}{weak}"


def _profile(sheet: Sheet, axes: Axes, one: ItemHistory, shape: SeasonShape) -> None:
    """Median, middle half and furthest of each period of the season."""
    bare_axes(axes)
    number_axis(axes, small=sheet.width < 800)
    at = np.arange(shape.median.size)
    axes.vlines(at, shape.quantile(0.0), shape.quantile(1.0), color=TEAL, linewidth=1.0)
    lower, upper = shape.quantile(0.25), shape.quantile(0.75)
    axes.bar(at, upper - lower, bottom=lower, width=0.62, color=TEALS[0])
    axes.plot(at, shape.median, "o", color=INK, markersize=5 if at.size <= 31 else 3)
    axes.axhline(100.0 if shape.relative else 0.0, color=INK, linewidth=0.9)
    axes.set_xlim(-0.6, at.size - 0.4)
    # One far off cycle must not flatten the others; it is in the strip below.
    sheet.limits(axes, near(shape.cycles.ravel()), [100.0 if shape.relative else 0.0])
    label = "percent of the level" if shape.relative else f"above the level ({one.measure.label})"
    axes.set_ylabel(label, color=INK, fontsize=sheet.sized(10))
    axes.tick_params(labelsize=sheet.sized(10))


def _strip(sheet: Sheet, axes: Axes, shape: SeasonShape) -> None:
    """A row for each cycle, a cell for each period of the season."""
    axes.set_facecolor(GRID)
    middle = 100.0 if shape.relative else 0.0
    known = np.abs(shape.cycles[np.isfinite(shape.cycles)] - middle)
    reach = float(np.quantile(known, 0.95)) if known.size else 1.0
    reach = reach or 1.0
    axes.imshow(
        np.ma.masked_invalid(shape.cycles),
        aspect="auto",
        cmap=HEAT,
        vmin=middle - reach,
        vmax=middle + reach,
        interpolation="nearest",
    )
    rows = shape.cycles.shape[0]
    every = -(-rows // (10 if width_of(axes) > 500 else 4))
    axes.set_yticks(np.arange(0, rows, every), [shape.begins[k] for k in range(0, rows, every)])
    for side in axes.spines.values():
        side.set_visible(False)
    axes.tick_params(colors=INK, length=0, labelsize=sheet.sized(9))
    axes.set_ylabel("cycle from", color=INK, fontsize=sheet.sized(10))


def _phases(axes: Axes, shape: SeasonShape) -> None:
    """Names of the periods of the season, as many as fit."""
    count, size = len(shape.names), 9 if width_of(axes) > 400 else 7.5
    longest = max(len(name) for name in shape.names)
    every = -(-count // max(int(width_of(axes) / (size * (0.95 * longest + 1.6))), 2))
    axes.set_xticks(np.arange(0, count, every), [shape.names[k] for k in range(0, count, every)], fontsize=size)
