"""The page that people look at first: history, seasons and parts of one item."""

from collections.abc import Mapping
from typing import Any, Unpack, cast

from matplotlib.figure import Figure, SubFigure

from veridex.core.history.events import Events
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.figures.past import history
from veridex.figures.seasonal import seasons
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.split import parts

__all__ = ["look"]


@view
def look(
    series: History | ItemHistory, *, overlay: object = None, events: Events | None = None, **asked: Unpack[Asked]
) -> Figure:
    """Draw history, seasons and parts of an item on one page, each as its own view draws it.

    Parameters
    ----------
    series : ItemHistory or History of one item
    overlay, events
        As for `history`.
    **asked
        since, until, scale (of demand), title.
    """
    sheet, one = Sheet.of(asked, panels=True), only_item(series)
    rows = cast(Any, sheet.figure.subfigures(2, 1, height_ratios=(1.0, 1.7)))
    upper, (left, right) = rows[0], cast(Any, rows[1].subfigures(1, 2, width_ratios=(1.0, 1.25)))
    own = {name: asked.get(name) for name in ("since", "until")}
    scaled = own | {"scale": asked.get("scale")}
    history(one, overlay=overlay, events=events, **_on(upper, scaled))
    seasons(one, **_on(left, own))
    parts(one, **_on(right, scaled))
    if asked.get("title"):
        sheet.titled("")
    return sheet.whole


def _on(place: SubFigure, asked: Mapping[str, Any]) -> Asked:
    """What a view is asked for, in its place on the page."""
    return cast(Asked, {**asked, "ax": place.subplots()})
