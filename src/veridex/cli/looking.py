"""What `look` shows: the history, its seasons and parts, of one item or all; and writes the adjusted series."""

from pathlib import Path

import numpy as np
import pandas as pd
import typer

from veridex import figures
from veridex.cli.desk import desk_for
from veridex.cli.tables import folded, show
from veridex.core.diagnosis.decomposition import Decomposition, Decompositions, decompose
from veridex.core.diagnosis.season_shape import season_shape
from veridex.core.diagnosis.turn_over_turn import changes
from veridex.core.history.events import Events
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.periods.seasons import season_in_words, season_name
from veridex.core.readable import number
from veridex.errors import DestinationRefused
from veridex.job.desk import Desk
from veridex.job.drawing import draw_items
from veridex.job.reading import events_of, read
from veridex.job.requests import Happening, Looking, Placing, Reading, Ruling
from veridex.staged import replace_text

__all__ = ["run_look"]

MOST_CELLS = 60
"""Periods of a season that are told one by one."""


def run_look(reading: Reading, looking: Looking, happening: Happening, ruling: Ruling, placing: Placing) -> None:
    """Show a table of what the pictures show, write the adjusted series, draw the page of each item."""
    desk = desk_for(placing)
    history = read(reading, ruling.tidy, desk, happening)
    events = events_of(happening, history)
    overlay = [int(text) if text.isdigit() else text for text in looking.overlay] or None
    if placing.form == "table" and len(history) > 1 and looking.part == "seasons":
        show(pd.DataFrame([_row(one) for one in history]), placing, title=f"{len(history)} items", caption=CAPTION)
    else:
        show_part(history, looking, overlay, placing, desk)
    if looking.adjusted is not None:
        desk.say(write_adjusted(_parts(history, looking), looking.adjusted))
    if placing.figures is not None:
        desk.say(draw_pages(history, overlay, events, placing.figures))


CAPTION = (
    "Strengths from 0 to 1. high and low: the periods of the season with most and least, in percent of the level or "
    "above it. "
    "change: percent more in the last season than in the one before."
)


def _parts(history: History, looking: Looking) -> tuple[Decomposition, ...]:
    """The parts of each item."""
    found = decompose(history, form=looking.split)
    return found.found if isinstance(found, Decompositions) else (found,)


def show_part(history: History, looking: Looking, overlay: object, placing: Placing, desk: Desk) -> None:
    """Print the table of one part, of all items under each other."""
    if looking.part == "seasons":
        table = pd.concat([_seasons_of(one) for one in history], ignore_index=True)
    elif looking.part == "parts":
        found = _parts(history, looking)
        for one in found:
            if one.reason:
                desk.say(f"{one.series.item}: no parts: {one.reason}.")
        table = Decompositions(found).to_frame()
    elif looking.part == "years":
        table = pd.concat([_over_years(one) for one in history], ignore_index=True)
    else:
        table = pd.concat([_history_of(one, overlay) for one in history], ignore_index=True)
    show(table, placing, title=looking.part.capitalize(), cadence=history.cadence)
    if placing.form == "table" and looking.part == "seasons" and len(history) == 1:
        typer.echo(folded(_in_words(next(iter(history)), looking)))


def _seasons_of(one: ItemHistory) -> pd.DataFrame:
    """What each period of each season usually has."""
    lengths = one.seasons or (float(one.season_length),)
    shapes = [season_shape(one, length, one.start, one.start + len(one), MOST_CELLS) for length in lengths]
    tables = [shape.to_frame() for shape in shapes if shape is not None]
    return (
        pd.concat(tables, ignore_index=True)
        if tables
        else pd.DataFrame({"item": [one.item], "season_length": [np.nan]})
    )


def _over_years(one: ItemHistory) -> pd.DataFrame:
    """Each period against the same one a season before."""
    back = max(one.season_length, one.cadence.season_length, 1)
    change, together = changes(one.actuals, back)
    known = len(one) - change.size
    return pd.DataFrame(
        {
            "item": one.item,
            "period": one.periods[known:],
            "demand": one.actuals[known:],
            "before": one.actuals[: change.size],
            "change_percent": change,
            "together_percent": together,
        }
    )


def _history_of(one: ItemHistory, overlay: object) -> pd.DataFrame:
    """The history, with what was asked to be laid over it."""
    from veridex.figures.overlays import overlays_of  # draws nothing here, but loads what draws

    laid = {line.label: line.values for line in overlays_of(one, overlay)}
    return one.to_frame().assign(**laid)


def _row(one: ItemHistory) -> dict[str, object]:
    """One item of many, in a line."""
    parts, length = decompose(one, form="auto"), (one.seasons or (float(one.season_length),))[0]
    shape = season_shape(one, length, one.start, one.start + len(one), MOST_CELLS)
    ends = ("", "")
    if shape is not None and one.seasons and np.isfinite(shape.median).any():
        places = int(np.nanargmax(shape.median)), int(np.nanargmin(shape.median))
        unit = " %" if shape.relative else ""
        ends = tuple(f"{shape.names[k]} {number(float(shape.median[k]), 3)}{unit}" for k in places)  # type: ignore[assignment]
    _, together = changes(one.actuals, max(one.season_length, one.cadence.season_length, 1))
    known = together[np.isfinite(together)]
    strengths = parts.strengths
    return {
        "item": one.item,
        "periods": len(one),
        "seasons": " ".join(f"{length:g}" for length in one.seasons),
        "trend": round(strengths.get("trend", np.nan), 2),
        "season": round(strengths.get(season_name(length), np.nan), 2),
        "high": ends[0],
        "low": ends[1],
        "change": round(float(known[-1]), 1) if known.size else np.nan,
    }


def _in_words(one: ItemHistory, looking: Looking) -> str:
    """The parts in a sentence."""
    found = decompose(one, form=looking.split)
    if found.reason:
        return f"{one.item}: no parts: {found.reason}."
    said = [
        f"{name if name == 'trend' else season_in_words(one.cadence, float(name.removeprefix('season_')))} "
        f"{number(value, 2)}"
        for name, value in found.strengths.items()
    ]
    return f"{one.item}: {found.form} parts by loess, strength of {', '.join(said)}."


def write_adjusted(found: tuple[Decomposition, ...], target: Path) -> str:
    """Write the parts of all items that have some, with the adjusted series.

    Raises
    ------
    DestinationRefused
        If no item has parts, or the file cannot be written.
    """
    able = tuple(one for one in found if not one.reason)
    if not able:
        raise DestinationRefused(str(target), f"there is nothing to write: {found[0].reason}", "Look at other items.")
    table = Decompositions(able).to_frame()
    table["period"] = able[0].series.cadence.iso(table["period"].to_numpy())
    replace_text(target, table.to_csv(index=False, lineterminator="\n"))
    left = (
        f"; no parts of {', '.join(one.series.item for one in found if one.reason)}" if len(able) < len(found) else ""
    )
    forms = " and ".join(sorted({one.form for one in able}))
    return f"Written to {target}: {forms} parts by loess of {len(able)} items{left}."


def draw_pages(history: History, overlay: object, events: Events | None, directory: Path) -> str:
    """Draw the page of each item; of a single one its views too, and what several are side by side."""
    kinds = {"look": lambda one: figures.look(history[one], overlay=overlay, events=events)}
    if len(history) == 1:
        kinds |= {
            "history": lambda one: figures.history(history[one], overlay=overlay, events=events),
            "seasons": lambda one: figures.seasons(history[one]),
            "parts": lambda one: figures.parts(history[one]),
            "years": lambda one: figures.over_years(history[one]),
        }
    said = draw_items(directory, history, kinds)
    if len(history) > 1:
        figures.save(figures.side_by_side(history, overlay=overlay), directory / "side-by-side.png")
        said += " Also side-by-side.png."
        if history.measure.adds_up:
            figures.save(figures.total(history), directory / "total.png")
            said += " Also total.png."
    return said
