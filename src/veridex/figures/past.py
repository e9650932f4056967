"""The past of an item: its history with what stands out, and year over year."""

from typing import Unpack

import numpy as np
from matplotlib.artist import Artist
from matplotlib.figure import Figure
from matplotlib.patches import Patch

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.turn_over_turn import changes
from veridex.core.history.events import Events
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.readable import number
from veridex.core.tidying.profile import ItemProfile, profile_items
from veridex.figures.overlays import lay
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import AMBER, GRID, INK, PAPER, PLUM, TEAL
from veridex.figures.timeline import Timeline, line_key, mark_key

__all__ = ["history", "over_years"]

NAMED = 6
"""Events whose names are written where they happen."""

EVENT = "#cfe3e6"


@view
def history(
    series: History | ItemHistory | ItemProfile,
    *,
    overlay: object = None,
    events: Events | None = None,
    tidied: ItemHistory | None = None,
    **asked: Unpack[Asked],
) -> Figure:
    """Draw the history of an item, with what stands out in it.

    The values that were read in ink; over them a moving average of a season, or what else is asked for. Outliers are
    ringed and joined to what was expected, level shifts dashed, unknown periods grey, sold-out ones open triangles at
    what was sold, repaired values diamonds, an unfinished last period a square.

    Parameters
    ----------
    series : ItemHistory, History of one item, or ItemProfile
    overlay : int, str, Method, Fitted, or a list of these, optional
        Moving averages over so many periods, or one-step fits of methods; an empty list for none.
    events : Events, optional
        Shaded, and what happens in them is not outlying.
    tidied : ItemHistory, optional
        The item tidied; by default that of a history with rules.
    **asked
        since, until, scale, title, ax, as for every view.

    Raises
    ------
    ParameterError
    """
    sheet = Sheet.of(asked)
    one = series if isinstance(series, ItemProfile) else profile_items(only_item(series), events)[0]
    if tidied is None and isinstance(series, (History, ItemHistory)) and only_item(series).rules is not None:
        tidied = only_item(series)
    shown, raw = one.series, np.array(one.series.values)
    line = Timeline.on(
        sheet.panel(), shown.cadence, sheet.span(shown.cadence, shown.start, shown.start + len(shown)), shown.measure
    )
    handles = [*_unknown(line, shown), *_happenings(line, events)]
    line.line(shown.start, raw, INK)
    keys, laid = lay(line, shown, _usual(shown) if overlay is None else overlay)
    handles = [line_key("actual", INK), *handles, *keys]
    handles += [*_outliers(line, one), *_sold_out(line, shown), *_unfinished(line, one), *_repairs(line, shown, tidied)]
    _fit(sheet, line, one, laid, tidied)
    _shifts(line, one)
    sheet.titled(_title(one, line), line.axes)
    sheet.legend(handles)
    return sheet.whole


def _usual(series: ItemHistory) -> list[int]:
    """A moving average over the shortest season that was seen three times."""
    able = [round(one) for one in (series.season_length, *series.seasons) if 1 < one <= len(series) / 3]
    return [min(able)] if able else []


def _fit(sheet: Sheet, line: Timeline, one: ItemProfile, laid: list[FloatArray], tidied: ItemHistory | None) -> None:
    """The scale of everything drawn."""
    others = list(laid)
    if tidied is not None:
        others.append(line.cut(tidied.start, tidied.values)[1])
    if one.series.censored is not None:
        others.append(line.cut(one.series.start, one.series.censored[0])[1])
    line.fit(sheet, one.series.start, np.array(one.series.values), *others)


def _title(one: ItemProfile, line: Timeline) -> str:
    n, cadence = one.numbers, one.series.cadence
    inside = _inside(line, one)
    found = [
        f"{count} {word}{'' if count == 1 else 's'}"
        for count, word in (
            (int((one.found.outlying & inside).sum()), "outlier"),
            (sum(inside[shift.place] for shift in one.found.shifts), "level shift"),
            (int((np.isnan(one.series.values) & ~one.series.stock_outs & inside).sum()), f"unknown {cadence.noun}"),
            (int((one.series.stock_outs & inside).sum()), f"{cadence.noun} out of stock"),
        )
        if count
    ]
    if n["out_of_stock"] and found and found[-1].endswith("stocks"):
        found[-1] = found[-1].replace(f"{cadence.noun} out of stocks", f"{cadence.plural} out of stock")
    found = [said for said in (one.reading.life, *found, one.reading.end) if said]
    return f"{one.series.item}: {', '.join(found) if found else 'nothing stands out'}"


def _inside(line: Timeline, one: ItemProfile) -> np.ndarray:
    """Which periods are shown."""
    ordinals = one.series.ordinals
    return np.asarray((ordinals >= line.first) & (ordinals < line.stop))


def _unknown(line: Timeline, series: ItemHistory) -> list[Artist]:
    """Unknown periods as ground; those in which stock ran out have marks of their own."""
    lost = np.isnan(series.values) & ~series.stock_outs
    edges = np.flatnonzero(np.diff(np.concatenate(([False], lost, [False])).astype(np.int8))).reshape(-1, 2)
    for low, high in edges.tolist():
        line.ground(series.start + low, series.start + high - 1)
    shown = line.cut(series.start, lost.astype(np.float64))[1]
    return [Patch(facecolor=GRID, label="unknown")] if shown.any() else []


def _happenings(line: Timeline, events: Events | None) -> list[Artist]:
    """Periods that events touch, shaded; the names of few events stand at their last time."""
    if events is None or line.cadence.counted or not len(events):
        return []
    columns = events.on(line.cadence, line.first, line.stop - line.first)
    drawn, named = False, -np.inf
    for name, felt in zip(columns.names, columns.values.T, strict=True):
        at = np.flatnonzero(felt >= 0.1)
        for place in at.tolist():
            low, high = line.edge(line.first + place, -0.5), line.edge(line.first + place, 0.5)
            line.axes.axvspan(low, high, facecolor=EVENT, alpha=0.6, linewidth=0, zorder=0)
            drawn = True
        if at.size and len(columns.names) <= NAMED:
            beside = abs(at[-1] - named) < 0.03 * (line.stop - line.first)
            named = at[-1]
            line.axes.annotate(
                name,
                (line.at(line.first + int(at[-1])), 0.99 if beside else 0.01),
                xycoords=("data", "axes fraction"),
                rotation=90,
                fontsize=8,
                color=TEAL,
                ha="center",
                va="top" if beside else "bottom",
            )
    return [Patch(facecolor=EVENT, label="event")] if drawn else []


def _outliers(line: Timeline, one: ItemProfile) -> list[Artist]:
    """Rings around what stands out, each with a stem to what was expected."""
    found, series = one.found, one.series
    values = np.array(series.values)
    for place in np.flatnonzero(found.outlying).tolist():
        if line.first <= series.start + place < line.stop:
            at = line.at(series.start + place)
            line.axes.plot([at, at], [found.values[place], values[place]], color=PLUM, linewidth=1.0, zorder=2)
            line.axes.plot(at, found.values[place], "_", color=PLUM, markersize=9)
    if not line.cut(series.start, found.outlying.astype(np.float64))[1].any():
        return []
    line.marks(series.start, values, found.outlying, s=110, facecolors="none", edgecolors=PLUM, linewidths=1.8)
    return [mark_key("outlier, and what was expected", PLUM)]


def _sold_out(line: Timeline, series: ItemHistory) -> list[Artist]:
    """What was sold before stock ran out: demand was at least that."""
    if series.censored is None or not line.cut(series.start, series.stock_outs.astype(np.float64))[1].any():
        return []
    look = {"marker": "^", "facecolors": PAPER, "edgecolors": INK}
    line.marks(series.start, series.censored[0], series.stock_outs, s=44, **look)
    return [mark_key("out of stock: at least", INK, face=PAPER, marker="^")]


def _unfinished(line: Timeline, one: ItemProfile) -> list[Artist]:
    """The last period, where it is not over."""
    series = one.series
    if not one.numbers["unfinished"] or not line.first <= series.start + len(series) - 1 < line.stop:
        return []
    last = np.arange(len(series)) == len(series) - 1
    line.marks(series.start, np.array(series.values), last, s=70, marker="s", facecolors=PAPER, edgecolors=INK)
    return [mark_key("not over yet", INK, face=PAPER, marker="s")]


def _repairs(line: Timeline, series: ItemHistory, tidied: ItemHistory | None) -> list[Artist]:
    if tidied is None:
        return []
    both = min(len(series), len(tidied))
    before, after = series.values[:both], tidied.values[:both]
    changed = ~((before == after) | np.isnan(after))
    if not line.cut(series.start, changed.astype(np.float64))[1].any():
        return []
    line.marks(series.start, np.array(after), changed, s=40, marker="D", color=AMBER)
    return [line_key("repaired to", AMBER, width=0.0, marker="D")]


def _shifts(line: Timeline, one: ItemProfile) -> None:
    """Level shifts as dashed lines with their size, written above the data, one above another where they are near."""
    shifts = [
        one_shift for one_shift in one.found.shifts if line.first <= one.series.start + one_shift.place < line.stop
    ]
    if not shifts:
        return
    low, high = line.axes.get_ylim()
    near = 0.22 * (line.stop - line.first)
    rows: list[int] = []
    last = -np.inf
    for shift in shifts:
        rows.append(rows[-1] + 1 if shift.place - last < near and rows else 0)
        last = shift.place
    line.axes.set_ylim(low, high + 0.05 * (max(rows) + 1) * (high - low))
    for shift, row in zip(shifts, rows, strict=True):
        at = line.at(one.series.start + shift.place)
        line.axes.axvline(at, color=PLUM, linewidth=1.2, linestyle=(0, (4, 3)))
        late = one.series.start + shift.place > line.first + 0.75 * (line.stop - line.first)
        line.axes.annotate(
            f"level {'up' if shift.size > 0 else 'down'} by {number(abs(shift.size), 3)}",
            (at, high + 0.05 * row * (high - low)),
            xytext=(-6 if late else 6, 2),
            textcoords="offset points",
            color=PLUM,
            fontsize=9,
            ha="right" if late else "left",
        )


@view
def over_years(series: History | ItemHistory, *, periods: int | None = None, **asked: Unpack[Asked]) -> Figure:
    """Draw each period against the same period one season before: how many percent more or less.

    Bars in teal above the season before and plum below it; a line for the change of the last whole season together.

    Parameters
    ----------
    series : ItemHistory or History of one item
    periods : int, optional
        How many periods before; by default the season of the calendar.
    **asked
        since, until, scale (in percent), title, ax.
    """
    sheet, one = Sheet.of(asked), only_item(series)
    back = periods or max(one.season_length, one.cadence.season_length, 1)
    change, together = changes(one.actuals, back)
    start = one.start + back
    line = Timeline.on(
        sheet.panel(),
        one.cadence,
        sheet.span(one.cadence, min(start, one.start + len(one) - 1), one.start + len(one)),
        None,
    )
    x, y = line.cut(start, change)
    width = (line.edge(line.first, 0.4) - line.edge(line.first, -0.4)) if x.size else 1
    line.axes.bar(x, np.nan_to_num(y), width=width, color=[TEAL if value >= 0 else PLUM for value in y])
    line.line(start, together, AMBER, width=2.2, marks=False)
    line.axes.axhline(0.0, color=INK, linewidth=0.9)
    line.axes.set_ylabel(f"percent more than {one.cadence.length(back)} before", color=INK)
    shown = y[np.isfinite(y)]
    reach = float(np.quantile(np.abs(shown), 0.98)) if shown.size else 1.0
    sheet.limits(line.axes, np.clip(y, -100.0, max(3.0 * reach, 20.0)), [0.0])
    line.mark_off(start, change)
    sheet.titled(_over_years_title(one, back, together), line.axes)
    sheet.legend(
        [
            Patch(color=TEAL, label="more"),
            Patch(color=PLUM, label="less"),
            line_key(f"{one.cadence.last(back)} together", AMBER, width=2.2),
        ]
    )
    return sheet.whole


def _over_years_title(one: ItemHistory, back: int, together: FloatArray) -> str:
    known = np.flatnonzero(np.isfinite(together))
    if not known.size:
        return f"{one.item}: fewer than two spans of {one.cadence.length(back)} are known"
    last = together[known[-1]]
    when = one.cadence.text(one.start + back + int(known[-1]))
    side = "more" if last >= 0 else "less"
    return f"{one.item}: {number(abs(float(last)), 3)} % {side} in {one.cadence.last(back)} up to {when} than before"
