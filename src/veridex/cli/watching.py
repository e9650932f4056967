"""What `watch` shows: what happened to each item, the alerts, what came in total."""

import pandas as pd
import typer

from veridex import figures as views
from veridex.cli.desk import ALERTS, desk_for
from veridex.cli.tables import paragraph, show
from veridex.core.publication.watch.watch import Watch
from veridex.exchange.keeping import read_publication
from veridex.job.drawing import draw_named
from veridex.job.reading import brought
from veridex.job.requests import Driving, Happening, Placing, Published, Reading, Ruling, Watching
from veridex.job.watching import watched

__all__ = ["run_watch"]

MOST = 8
"""Rows that people see of a long table; files get all."""

FEW = 3
"""Items that are told of in sentences."""

TITLES = {
    "items": "Items, the dearest first",
    "alerts": "Alerts, the dearest first",
    "periods": "What came",
    "totals": "What came so far",
    "groups": "Groups so far",
    "corrections": "Figures that are others now",
}


def run_watch(published: Published, watching: Watching, reading: Reading, ruling: Ruling, placing: Placing) -> int:
    """Hold a publication against what came since, and say which items to look into."""
    desk = desk_for(placing)
    publication = read_publication(published.publication)
    history, _ = brought(reading, ruling, Driving(), Happening(), desk)
    found = watched(publication, history, watching, desk)
    if placing.figures is not None and len(found.items):
        desk.say(draw_named(placing.figures, {"watch": lambda: views.watch(found)}))
    if placing.form != "table":
        show(_table(found, "items" if watching.part == "page" else watching.part), placing, title="")
    elif watching.part != "page":
        _show(found, watching.part, placing)
        typer.echo(paragraph(found.in_words()))
    else:
        _show_page(found, placing)
    return 0 if found.alerts.empty else ALERTS


def _table(found: Watch, part: str) -> pd.DataFrame:
    """The table of a part."""
    table: pd.DataFrame = getattr(found, {"periods": "frame", "totals": "total"}.get(part, part))
    return table


def _show(found: Watch, part: str, placing: Placing, hide: tuple[str, ...] = ()) -> None:
    """One of the tables; of a long one the first rows."""
    table = _table(found, part)
    more = len(table) > MOST and not placing.wide
    title = f"{TITLES[part]}: {MOST} of {len(table):,}" if more else TITLES[part]
    shown = table.head(MOST) if more else table
    rounded = dict.fromkeys(("percent_error", "chance", "signal", "share", "sure", "cost"), 1)
    show(shown.round(rounded), placing, title=title, cadence=found.cadence, hide=hide)


def _show_page(found: Watch, placing: Placing) -> None:
    """The alerts, what happened to the dearest items, groups, and all of it in words."""
    if len(found.alerts):
        _show(found, "alerts", placing, hide=("step", "percent_error", "error", "alert"))
    if len(found.items):
        _show(found, "items", placing, hide=("periods", "size_error"))
    if len(found.groups):
        _show(found, "groups", placing)
    typer.echo(paragraph(found.in_words()))
    for item in found.items.loc[found.items["alerts"] > 0, "item"].head(FEW):
        typer.echo(paragraph(found.why(item)))
