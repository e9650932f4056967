"""What `record` shows: what was published against what came."""

from collections.abc import Callable

import pandas as pd
import typer

from veridex import figures as views
from veridex.cli.desk import desk_for
from veridex.cli.tables import paragraph, show
from veridex.core.publication.record.record import TrackRecord, track_record
from veridex.exchange.keeping import read_publications
from veridex.job.drawing import draw_named
from veridex.job.reading import brought
from veridex.job.requests import Driving, Happening, Placing, Reading, Ruling, Tracking

__all__ = ["run_record"]

MOST = 12
"""Rows that people see of a long table; files get all."""

MEASURES = ["n", "bias", "mae", "wape", "mase", "relative_mae"]
"""Measures that stand first on the page."""

LEGEND = {
    "bias": "bias: percent of demand, above zero where forecasts were too low.",
    "wape": "wape: absolute error in percent of demand.",
    "mase": "mase: absolute error in times the usual change over a season.",
    "relative_mae": "relative_mae: absolute error in times the benchmark's.",
}


def run_record(
    tracking: Tracking, reading: Reading, driving: Driving, happening: Happening, ruling: Ruling, placing: Placing
) -> None:
    """Hold what was published against what came, and show the part that is asked for."""
    desk = desk_for(placing)
    publications = read_publications(tracking.publications, *tracking.also)
    history, told = brought(reading, ruling, driving, happening, desk)
    found = track_record(publications, history, drivers=told.drivers, events=told.events)
    if placing.figures is not None and not found.cells.empty:
        desk.say(draw_named(placing.figures, {"record": lambda: views.record(found)}))
    if tracking.part == "page" and placing.form == "table":
        _show_page(found, tracking, placing)
        return
    part = "scores" if tracking.part == "page" else tracking.part
    table = _PARTS[part](found, tracking)
    if placing.form == "table":
        more = len(table) > MOST and not placing.wide
        title = f"{TITLES[part]}: {MOST} of {len(table):,}" if more else TITLES[part]
        show(table.head(MOST) if more else table, placing, title=title, cadence=found.history.cadence)
        typer.echo(paragraph(found.in_words()))
    else:
        show(table, placing, title="", cadence=found.history.cadence)


TITLES = {
    "scores": "Errors",
    "errors": "Forecasts that have come",
    "coverage": "Intervals",
    "added": "Value added",
    "overrides": "Overrides, the dearest first",
    "changes": "Changes of methods, the dearest first",
    "worse": "Items by what their errors exceed",
}

_PARTS: dict[str, Callable[[TrackRecord, Tracking], pd.DataFrame]] = {
    "scores": lambda found, tracking: found.scores(tracking.by),
    "errors": lambda found, _: found.errors,
    "coverage": lambda found, _: found.coverage,
    "added": lambda found, _: found.value_added,
    "overrides": lambda found, _: found.overrides,
    "changes": lambda found, _: found.changes,
    "worse": lambda found, _: found.worse,
}


def _show_page(found: TrackRecord, tracking: Tracking, placing: Placing) -> None:
    """Errors by group, what each step added, what intervals held, and all of it in words."""
    cadence = found.history.cadence
    scores = found.scores(tracking.by)
    names = [*tracking.by, *(name for name in MEASURES if name in scores), *_coverages(scores)]
    title = f"Errors by {', '.join(tracking.by)}"
    show(_rounded(scores[names], 3), placing, title=title, cadence=cadence, legend=LEGEND)
    show(_rounded(found.value_added, 1), placing, title="Value added", cadence=cadence)
    if len(found.overrides):
        show(_rounded(found.overrides.head(MOST), 1), placing, title=TITLES["overrides"], cadence=cadence)
    typer.echo(paragraph(found.in_words()))


def _rounded(table: pd.DataFrame, decimals: int) -> pd.DataFrame:
    """The numbers of a table rounded; periods, which cannot be, as they are."""
    return table.round(dict.fromkeys(table.select_dtypes("number").columns, decimals))


def _coverages(scores: pd.DataFrame) -> list[str]:
    return [str(name) for name in scores.columns if str(name).startswith("coverage_")]
