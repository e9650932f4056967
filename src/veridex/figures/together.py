"""Several items or measures side by side, on one scale."""

import math
from collections.abc import Sequence
from typing import Unpack

import numpy as np
from matplotlib.figure import Figure

from veridex.core.arrays import FloatArray
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.errors import ParameterError
from veridex.figures.overlays import overlays_of
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import INK, wrapped
from veridex.figures.timeline import Timeline, line_key, near

__all__ = ["side_by_side"]

MOST = 20
"""Panels on one page."""


@view
def side_by_side(
    source: History | Sequence[ItemHistory],
    items: Sequence[str] | None = None,
    *,
    overlay: object = None,
    percent: bool | None = None,
    **asked: Unpack[Asked],
) -> Figure:
    """Draw several items, or several measures of one, a panel each on one scale.

    Parameters
    ----------
    source : History or sequence of ItemHistory
        Histories of several measures have one cadence.
    items : sequence of str, optional
        Of a history; by default the largest twenty.
    overlay : int, str, or a list of these, optional
        As for `history`, over each.
    percent : bool, optional
        Each in percent of its own mean; by default where measures differ.
    **asked
        since, until, scale, title, ax.

    Raises
    ------
    ParameterError, ItemUnknown
        If there is nothing to show, or cadences differ.
    """
    sheet = Sheet.of(asked, panels=True)
    shown, left = _chosen(source, items)
    cadence = shown[0].cadence
    if any(one.cadence != cadence for one in shown):
        raise ParameterError("source", "histories of several cadences", "gather them to one with at_cadence()")
    shared = len({(one.measure.name, one.measure.unit) for one in shown}) == 1
    scaled = not shared if percent is None else percent
    first, stop = sheet.span(cadence, min(one.start for one in shown), max(one.start + len(one) for one in shown))
    columns = min(len(shown), 2 if len(shown) <= 4 else 3 if len(shown) <= 9 else 4 if len(shown) <= 12 else 5)
    grid = sheet.figure.subplots(math.ceil(len(shown) / columns), columns, sharey=True, squeeze=False)
    lines, drawn, keys = [], [], [line_key("actual", INK, width=1.2)]
    for axes, one in zip(grid.ravel(), shown, strict=False):
        line = Timeline.on(axes, cadence, (first, stop), None, small=True)
        values = _in_percent(one.actuals) if scaled else np.array(one.actuals)
        line.line(one.start, values, INK, width=1.2, marks=len(shown) <= 4)
        drawn.append(near(line.cut(one.start, values)[1]))
        for laid in overlays_of(one, overlay):
            own = laid.values * (100.0 / _mean(one.actuals)) if scaled else laid.values
            line.line(one.start, own, laid.color, width=1.6, dash=laid.dash, marks=False)
            if one is shown[0]:
                keys.append(line_key(laid.label, laid.color, dash=laid.dash))
        name = one.item if shared else f"{one.item}, {one.measure.label}"
        axes.set_title(wrapped(name, sheet.letters(9.5, 0.9 / columns)), fontsize=9.5, color=INK, loc="left")
        lines.append((line, (one.start, values)))
    for axes in grid.ravel()[len(shown) :]:
        axes.set_visible(False)
    for line, (start, values) in lines:
        sheet.limits(line.axes, *drawn)
        line.mark_off(start, values)
    unit = "percent of each one's mean" if scaled else shown[0].measure.label
    more = f", the largest {len(shown)} of {len(shown) + left} items" if left else ""
    sheet.titled(f"Side by side on one scale: {unit}{more}")
    sheet.legend(keys)
    return sheet.whole


def _chosen(source: History | Sequence[ItemHistory], items: Sequence[str] | None) -> tuple[list[ItemHistory], int]:
    """What is shown, and how many are left out."""
    if not isinstance(source, History):
        found = list(source)
    elif items is not None:
        found = [source[name] for name in items]
    else:
        found = sorted(source, key=lambda one: -float(np.nansum(np.abs(one.actuals))))
    if not found:
        raise ParameterError("source", repr(source), "name at least one item")
    kept = found[:MOST]
    return kept, len(found) - len(kept)


def _mean(values: FloatArray) -> float:
    known = values[~np.isnan(values)]
    return float(known.mean()) or math.nan if known.size else math.nan


def _in_percent(values: FloatArray) -> FloatArray:
    return np.asarray(100.0 * values / _mean(values))
