"""What `campaign` shows: what was added, period by period and in total, and what earlier spans show."""

import pandas as pd
import typer

from veridex.cli.desk import desk_for
from veridex.cli.tables import paragraph, show
from veridex.core.publication.campaigning import Campaign
from veridex.job.campaign import campaign_effect
from veridex.job.drawing import draw_campaign
from veridex.job.reading import brought
from veridex.job.requests import Campaigning, Driving, Happening, Placing, Reading, Ruling, Testing

__all__ = ["run_campaign"]

MOST = 12
"""Rows that people see of a long table; files get all."""

TITLES = {
    "totals": "Added in total",
    "periods": "Added by period",
    "before": "The span before, as it was forecast",
    "placebo": "Earlier spans of this length, the last first",
}


def run_campaign(
    reading: Reading,
    campaigning: Campaigning,
    testing: Testing,
    driving: Driving,
    happening: Happening,
    ruling: Ruling,
    placing: Placing,
) -> None:
    """Hold a campaign against what would have come without it."""
    desk = desk_for(placing)
    history, told = brought(reading, ruling, driving, happening, desk)
    found = campaign_effect(history, campaigning, testing, told, desk)
    tables = {"totals": found.total, "periods": found.frame, "before": found.before, "placebo": found.placebo}
    if placing.figures is not None:
        desk.say(draw_campaign(found, placing.figures))
    if placing.form != "table":
        show(tables["totals" if campaigning.part == "page" else campaigning.part], placing, title="")
        return
    for part in ("totals", "periods", "placebo") if campaigning.part == "page" else (campaigning.part,):
        if part != "totals" or len(found.total) > 1 or campaigning.part != "page":
            _show(found, part, tables[part], placing)
    typer.echo(paragraph(found.in_words()))


def _show(found: Campaign, part: str, table: pd.DataFrame, placing: Placing) -> None:
    """One of the tables; of a long one the first rows."""
    more = len(table) > MOST and not placing.wide
    title = f"{TITLES[part]}: {MOST} of {len(table):,}" if more else TITLES[part]
    shown = (table.head(MOST) if more else table).round({"percent": 1, "chance": 2, "placebo": 1, "score": 2})
    hide: tuple[str, ...] = ("step",) if found.frame["item"].nunique() > 1 else ("item", "step")
    hide += ("reason",) if part == "totals" and not found.total["reason"].any() else ()
    there = tuple(name for name in hide if name in shown)
    show(shown, placing, title=title, cadence=found.publication.cadence, hide=there)
