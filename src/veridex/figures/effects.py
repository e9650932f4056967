"""A campaign: the span before it beside it, and what was added against what earlier spans were said to add."""

from typing import Any, Unpack

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Patch

from veridex.core.publication.campaigning import Campaign
from veridex.core.readable import number
from veridex.errors import ParameterError
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import AMBER, BANDS, GRID, INK, TEAL, bare_axes, number_axis
from veridex.figures.timeline import line_key

__all__ = ["campaign"]

MOST = 12
"""Earlier spans that are drawn, the latest."""


@view
def campaign(found: Campaign, item: str | None = None, **asked: Unpack[Asked]) -> Figure:
    """Draw each period of a campaign against what was expected of it, and its total among earlier spans.

    On the left stands what came in each period beside the range that would have been expected without it, and before it
    the span before, forecast as far ahead; on the right what was added in total, with its interval, above what the same
    arithmetic makes of earlier spans in which nothing was done.

    Parameters
    ----------
    found : Campaign
    item : str, optional
        Needed where there are several.
    **asked
        scale (of demand), title, ax.

    Raises
    ------
    ParameterError
        If there is no such item, or nothing of it can be said.
    """
    items = found.publication.items
    named = items[0] if item is None and len(items) == 1 else item
    own = found.frame[found.frame["item"] == named]
    if own.empty:
        raise ParameterError("item", repr(item), f"the campaign touched {', '.join(items)}")
    sheet = Sheet.of(asked, panels=True)
    left, right = sheet.figure.subplots(1, 2, width_ratios=(1.35, 1.0))
    before = found.before[found.before["item"] == named]
    _periods(left, own, before, found)
    bounds = [own["actual"] - own[name] for name in ("lower", "upper")]
    sheet.limits(left, own["actual"], *bounds, before["actual"], before["expected"], [0.0])
    (total,) = found.total[found.total["item"] == named].to_dict("records")
    _spans(right, total, found.placebo[found.placebo["item"] == named], found)
    sheet.titled(_title(total, found), size=13.0)
    keys = [
        line_key("what came", INK, width=0, marker="o"),
        line_key("expected without the campaign", AMBER, width=2.2),
        Patch(color=BANDS[1], label=f"{found.level:g} % of what would have come"),
        line_key("added", AMBER, width=0, marker="D"),
        line_key("earlier spans, in which nothing was done", TEAL, width=0, marker="o"),
    ]
    sheet.legend(keys)
    return sheet.whole


def _title(total: dict[Any, Any], found: Campaign) -> str:
    """What was added, in a line."""
    if np.isnan(total["added"]):
        return f"{total['item']}: {total['reason']}"
    band = f"{found.level:g} %: {number(total['lower'], 3)} to {number(total['upper'], 3)}"
    return f"{total['item']}, {found.span}: {number(total['added'], 3)} added ({band})"


def _periods(axes: Axes, own: pd.DataFrame, before: pd.DataFrame, found: Campaign) -> None:
    """What came in each period and the range that was expected; on the left the span before, as it was forecast."""
    bare_axes(axes)
    number_axis(axes)
    gap = len(before) + 1 if len(before) else 0
    at, earlier = gap + np.arange(len(own)), np.arange(len(before))
    low, high = (own["actual"] - own[name] for name in ("upper", "lower"))
    axes.bar(at, high - low, bottom=low, width=0.66, color=BANDS[1], zorder=1)
    for places, table in ((earlier, before), (at, own)):
        axes.hlines(table["expected"], places - 0.33, places + 0.33, color=AMBER, linewidth=2.2, zorder=2)
        axes.vlines(places, table["expected"], table["actual"], color=INK, linewidth=1.0, zorder=2)
        axes.plot(places, table["actual"], "o", color=INK, markersize=6, zorder=3)
    if gap:
        axes.axvline(gap - 1, color=INK, linewidth=1.0, linestyle=":")
    cadence = found.publication.cadence
    places = np.concatenate((earlier, at))
    stamps = np.concatenate((before["period"].to_numpy(), own["period"].to_numpy()))
    texts = [cadence.text(one) for one in cadence.ordinals(stamps).tolist()]
    every = -(-len(texts) // 6)
    axes.set_xticks(places[::every], texts[::every])
    axes.tick_params(labelsize=8.5)
    axes.set_ylabel(found.publication.head.demand.measure.label, color=INK)
    said = "the span before, forecast as far ahead, and the campaign" if gap else "period by period"
    axes.set_title(said, fontsize=10, color=INK, loc="left")


def _spans(axes: Axes, total: dict[Any, Any], placebo: pd.DataFrame, found: Campaign) -> None:
    """What was added in total, in percent of what was expected, and the same of earlier spans below it."""
    bare_axes(axes, grid="x")
    number_axis(axes, along="x")
    shown, cadence = placebo.head(MOST), found.publication.cadence
    axes.axvline(0.0, color=INK, linewidth=0.8)
    labels = ["the campaign"]
    if not np.isnan(total["added"]) and total["expected"] > 0.0:
        ends = [100.0 * total[name] / total["expected"] for name in ("lower", "upper")]
        axes.plot(ends, [0, 0], color=BANDS[0], linewidth=7, solid_capstyle="butt")
        axes.plot(total["percent"], 0, "D", color=AMBER, markersize=9)
    for row, told in enumerate(shown.to_dict("records"), start=1):
        axes.hlines(row, 0.0, told["percent"], color=GRID, linewidth=1.6)
        axes.plot(told["percent"], row, "o", color=TEAL, markersize=7)
        span = [cadence.text(cadence.period(told[name])) for name in ("begins", "ends")]
        labels.append(f"{span[0]} to {span[1]}" if span[0] != span[1] else span[0])
    axes.set_yticks(range(len(labels)), labels, fontsize=9)
    axes.set_ylim(len(labels) - 0.4, -0.6)
    axes.set_xlabel("added in total, percent of what was expected", color=INK)
    spans = "no earlier span was tested" if shown.empty else _how_often(total)
    axes.set_title(spans, fontsize=10, color=INK, loc="left")


def _how_often(total: dict[Any, Any]) -> str:
    if pd.isna(total["spans"]):
        return "earlier spans"
    return f"{total['as_much']} of {total['spans']} earlier spans were as far out"
