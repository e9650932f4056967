"""The parts of a series: demand, trend and adjusted series in one panel, its seasons and its rest below."""

from typing import Unpack

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Patch

from veridex.core.diagnosis.decomposition import Decomposition, decompose
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.periods.seasons import season_in_words, season_name
from veridex.core.readable import number
from veridex.figures.sheet import Asked, Sheet, view, width_of
from veridex.figures.style import AMBER, GRID, INK, PLUM, TEAL, TEALS, bare_axes, number_axis
from veridex.figures.timeline import FEW, Timeline, line_key

__all__ = ["parts"]

FAR = 3.0
"""Deviations from which on what is left is marked."""


@view
def parts(series: History | ItemHistory | Decomposition, **asked: Unpack[Asked]) -> Figure:
    """Draw what a series is made of.

    Above, demand in ink, its trend in amber and demand without its seasons in teal. Below, each season as it was in the
    first cycle shown and in the last; beside them what is left over time, with the span that holds 95 % of it, and what
    lies beyond three deviations marked.

    Parameters
    ----------
    series : ItemHistory, History of one item, or Decomposition
    **asked
        since, until, scale (of demand), title, ax.
    """
    sheet = Sheet.of(asked, panels=True)
    found = series if isinstance(series, Decomposition) else decompose(only_item(series))
    one = found.series
    span = sheet.span(one.cadence, one.start, one.start + len(one))
    grid = sheet.figure.add_gridspec(2, len(found.seasons) + 2, height_ratios=(1.35, 1.0))
    top = Timeline.on(sheet.figure.add_subplot(grid[0, :]), one.cadence, span, one.measure)
    top.line(one.start, one.values, INK, width=1.1)
    keys = [line_key("demand", INK, width=1.1)]
    drawn = [one.values]
    if not found.reason:
        top.line(one.start, found.adjusted, TEAL, width=1.5, marks=len(one) > FEW)
        top.line(one.start, found.trend, AMBER, width=2.4, marks=False)
        drawn += [found.adjusted, found.trend]
        keys += [line_key("without its seasons", TEAL), line_key("trend", AMBER, width=2.4)]
    top.fit(sheet, one.start, one.values, *(top.cut(one.start, values)[1] for values in drawn[1:]))
    if not found.reason:
        for place, length in enumerate(found.seasons):
            _season(sheet.figure.add_subplot(grid[1, place]), found, place, length, span)
        _rest(sheet.figure.add_subplot(grid[1, len(found.seasons) :]), found, span)
        keys += [
            line_key("season in the first cycle", TEALS[0], width=1.6),
            line_key("in the last", TEAL, width=2.2),
            Patch(color=GRID, label="holds 95 % of what is left"),
        ]
    sheet.titled(_title(found))
    sheet.legend(keys)
    return sheet.whole


def _title(found: Decomposition) -> str:
    one = found.series
    if found.reason:
        return f"{one.item}: no parts: {found.reason}"
    strengths = found.strengths
    said = [f"trend {number(strengths['trend'], 2)}"]
    said += [
        f"{season_in_words(one.cadence, length)} {number(strengths[season_name(length)], 2)}"
        for length in found.seasons
    ]
    how = "parts multiply" if found.form == "multiplicative" else "parts add up"
    return (
        f"{one.item}: strength of the {', the '.join(said)} ({how}, by {'loess' if found.by == 'loess' else 'means'})"
    )


def _season(axes: Axes, found: Decomposition, place: int, length: float, span: tuple[int, int]) -> None:
    """One season in the first and in the last cycle shown."""
    one = found.series
    bare_axes(axes)
    number_axis(axes, small=True)
    width = round(length)
    first, last = max(span[0] - one.start, 0), min(span[1] - one.start, len(one)) - width
    values = found.by_season[place]
    for begin, color, stroke in ((first, TEALS[0], 1.6), (max(last, 0), TEAL, 2.2)):
        cycle = values[begin : begin + width]
        shift = (one.start + begin - _origin(one, length)) % width
        order = np.argsort((np.arange(cycle.size) + shift) % width)
        at = np.sort((np.arange(cycle.size) + shift) % width)
        axes.plot(at, cycle[order], color=color, linewidth=stroke, marker="o" if width <= 31 else None, markersize=3)
    axes.axhline(1.0 if found.form == "multiplicative" else 0.0, color=INK, linewidth=0.8)
    axes.set_xlim(-0.6, width - 0.4)
    every = -(-width // int(np.clip(width_of(axes) / 48, 2, 6)))
    marks = np.arange(0, width, every)
    axes.set_xticks(marks, [_phase(one, length, int(k)) for k in marks], fontsize=8)
    axes.set_title(f"the {season_in_words(one.cadence, length)}", fontsize=11, color=INK, loc="left")


def _origin(one: ItemHistory, length: float) -> int:
    """An ordinal at which a season of the calendar begins."""
    if one.cadence.counted:
        return 0
    word = season_in_words(one.cadence, length)
    stamps = one.periods
    if word == "year":
        begins = stamps.astype("datetime64[Y]").astype("datetime64[s]")
        return int(one.cadence.ordinals(begins[-1:])[0])
    if word == "week":
        days = stamps[-1].astype("datetime64[D]")
        monday = days - np.timedelta64((days.astype(int) + 3) % 7, "D")
        return int(one.cadence.ordinals(np.array([monday.astype("datetime64[s]")]))[0])
    return 0


def _phase(one: ItemHistory, length: float, place: int) -> str:
    """What a place in a season is called."""
    if one.cadence.counted:
        return str(place + 1)
    stamp = one.cadence.starts(np.array([_origin(one, length) + place]))[0].item()
    word = season_in_words(one.cadence, length)
    if word == "year":
        return f"{stamp:%b}"
    return f"{stamp:%a}" if word == "week" else f"{stamp:%H:%M}" if word == "day" else str(place + 1)


def _rest(axes: Axes, found: Decomposition, span: tuple[int, int]) -> None:
    """What is left over time."""
    one = found.series
    line = Timeline.on(axes, one.cadence, span, None, small=True)
    axes.tick_params(labelsize=9)
    middle = 1.0 if found.form == "multiplicative" else 0.0
    x, rest = line.cut(one.start, found.rest)
    known = rest[np.isfinite(rest)] - middle
    spread = float(known.std()) if known.size else 0.0
    axes.axhspan(middle - 1.96 * spread, middle + 1.96 * spread, color=GRID, alpha=0.6, linewidth=0)
    axes.axhline(middle, color=INK, linewidth=0.8)
    axes.vlines(x, middle, rest, color=INK, linewidth=1.1 if x.size <= 200 else 0.5)
    far = np.abs(rest - middle) > FAR * spread
    axes.plot(x[far], rest[far], "o", color=PLUM, markersize=5)
    axes.set_title("what is left", fontsize=11, color=INK, loc="left")
