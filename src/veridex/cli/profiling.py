"""What `profile` shows: a row per item, or of one item a page to read."""

from typing import Any

import pandas as pd
import typer

from veridex.cli.desk import desk_for
from veridex.cli.tables import show
from veridex.core.reading.item_reading import ItemReading
from veridex.core.tidying.page import page
from veridex.core.tidying.profile import ItemProfile, profile_items
from veridex.job.preparing import prepare
from veridex.job.reading import events_of, read_whole
from veridex.job.requests import Happening, Placing, Reading

__all__ = ["run_profile"]

SHOWN = {
    "item": "item",
    "first": "first",
    "last": "last",
    "unknown": "unknown",
    "duplicates": "doubled",
    "mean": "mean",
    "demand_class": "class",
    "trend_strength": "trend",
    "season_strength": "season",
    "outlier_periods": "outliers",
    "shift_periods": "level shifts",
    "remarks": "remarks",
}
"""Columns of the profile that people see, and what they are called there; CSV and JSON have all."""


RANKED = ("item", "class", "mean", "outliers", "remarks", "season", "level shifts", "unknown", "trend", "first", "last")


def run_profile(reading: Reading, happening: Happening, placing: Placing) -> None:
    """Show what is in a history, and what is wrong with it."""
    desk = desk_for(placing)
    history = read_whole(reading, desk)
    events = events_of(happening, history)
    prepare(("histories",), desk)
    everything = profile_items(history, events)
    profiles = [one for one in everything if reading.key in (None, one.series.item)]
    if len(profiles) == 1 and placing.form == "table":
        typer.echo(page(profiles[0]))
    else:
        title = f"{len(profiles)} items, {history.cadence.name}"
        show(profile_for_show(profiles, placing.form), placing, title=title, ranked=RANKED)
        for note in (unfinished_note(profiles), _growing_note(profiles)):
            if note:
                desk.say(note)
    if placing.figures is not None:
        from veridex import figures  # few ask for them, and they load what draws
        from veridex.job.drawing import draw_items

        by_item = {one.series.item: one for one in profiles}
        shown = history if reading.key is None else history.only(reading.key)
        draw = lambda one: figures.history(by_item[one], events=events)  # noqa: E731
        desk.say(draw_items(placing.figures, shown, {"history": draw}))


def unfinished_note(profiles: list[ItemProfile]) -> str:
    """Say once that the last period is unfinished; empty if none is."""
    found = [one.series for one in profiles if one.numbers["unfinished"]]
    if not found:
        return ""
    period = found[0].cadence.text(found[0].start + len(found[0]) - 1)
    return f"{period} looks unfinished in {len(found)} of {len(profiles)} items: `veridex tidy` leaves it out."


def _mostly_growing(profiles: list[ItemProfile]) -> bool:
    """Whether season and spread grow with the level of most items: then it is no remark on any of them."""
    return len(profiles) > 1 and 2 * sum(one.numbers["grows_with_level"] for one in profiles) > len(profiles)


def _growing_note(profiles: list[ItemProfile]) -> str:
    """Say once what holds for most items; empty if it does not."""
    if not _mostly_growing(profiles):
        return ""
    count = sum(one.numbers["grows_with_level"] for one in profiles)
    return f"Season and spread grow with the level in {count} of {len(profiles)} items."


def profile_for_show(profiles: list[ItemProfile], form: str) -> pd.DataFrame:
    """The whole table for files; for people what matters most, with the rest as remarks."""
    table = pd.DataFrame([one.numbers for one in profiles])
    lists = ("seasons", "outlier_periods", "shift_periods")
    if form != "json":
        table = table.assign(**{name: [" ".join(map(str, value)) for value in table[name]] for name in lists})
    if form != "table":
        return table
    growing = not _mostly_growing(profiles)
    table["remarks"] = [_remarks(one.numbers, one.reading, growing=growing) for one in profiles]
    dates = {
        name: [one.series.cadence.text(one.series.start + (len(one.series) - 1) * (name == "last")) for one in profiles]
        for name in ("first", "last")
    }
    shown = {name: [_few(one.numbers[name]) for one in profiles] for name in ("outlier_periods", "shift_periods")}
    strengths = {name: table[name].round(2) for name in ("trend_strength", "season_strength")}
    return table.assign(**dates, **strengths, **shown)[list(SHOWN)].rename(columns=SHOWN)


def _few(periods: tuple[str, ...], most: int = 3) -> str:
    """The first periods, and how many more."""
    more = f" +{len(periods) - most}" if len(periods) > most else ""
    return " ".join(periods[:most]) + more


def _remarks(numbers: dict[str, Any], reading: ItemReading, *, growing: bool) -> str:
    """What else is remarkable about an item, in a few words."""
    found = [
        f"{numbers['out_of_stock']} out of stock" if numbers["out_of_stock"] else "",
        f"{numbers['negative']} negative" if numbers["negative"] else "",
        f"first sale after {numbers['leading_zeros']}" if numbers["leading_zeros"] else "",
        reading.life,
        "season of its neighbours" if reading.season == "neighbours" else "",
        "grows with level" if growing and numbers["grows_with_level"] else "",
        numbers["spread_change"] and f"spread changed {numbers['spread_change']}",
    ]
    return ", ".join(word for word in found if word)
