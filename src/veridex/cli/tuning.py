"""What `tune` reads and shows: grids, the curve, the figure."""

from collections.abc import Sequence
from typing import Any

import typer

from veridex import figures
from veridex.cli.desk import desk_for
from veridex.cli.tables import paragraph, show
from veridex.core.backtest.tuning import Tuning as Found
from veridex.core.methods.grammar import parse_value, split_lineup
from veridex.errors import ParameterError
from veridex.front import tune
from veridex.job.drawing import draw_named
from veridex.job.engines import engine_of
from veridex.job.reading import brought
from veridex.job.requests import Driving, Happening, Placing, Reading, Ruling, Testing, Tuning
from veridex.job.testing import scheme_of

__all__ = ["run_tune"]

CAPTION = "std_error: over items, or over the origins of a single one. within: one standard error of the best."


def run_tune(
    reading: Reading,
    tuning: Tuning,
    driving: Driving,
    happening: Happening,
    testing: Testing,
    ruling: Ruling,
    placing: Placing,
) -> None:
    """Try settings of a method inside folds, and show what they are worth."""
    desk = desk_for(placing)
    history, told = brought(reading, ruling, driving, happening, desk)
    given = {
        "measure": tuning.measure,
        "drivers": told.drivers,
        "events": told.events,
        "engine": engine_of(testing.engine, len(history)),
    }
    found = tune(history, tuning.method, read_grid(tuning.grid), scheme_of(history, testing), **given)  # type: ignore[arg-type]
    for note in found.trial.notes:
        desk.say(note)
    show_tuning(found, placing)
    if placing.figures is not None:
        desk.say(draw_named(placing.figures, {"tuning": lambda: figures.tuning(found)}))


def read_grid(texts: Sequence[str]) -> dict[str, list[Any]]:
    """Settings with their values, each written as `window=2,3,4,6`; lists in brackets are one value."""
    grid: dict[str, list[Any]] = {}
    for text in texts:
        key, sign, values = text.partition("=")
        key = key.strip()
        if not sign or not values.strip() or key in grid:
            raise ParameterError("grid", repr(text), "write a setting with its values once, as in window=2,3,4,6")
        grid[key] = [parse_value(value) for value in split_lineup(values)]
    return grid


def show_tuning(tuning: Found, placing: Placing) -> None:
    """Print the curve, and what it says."""
    frame = tuning.frame
    if placing.form == "table":
        title = f"{tuning.base}: {', '.join(tuning.settings[0])}, {tuning.trial.scheme.in_words()}"
        show(frame, placing, title=title, hide=("method",), caption=CAPTION)
        typer.echo(paragraph(tuning.in_words()))
    else:
        show(frame, placing, title="")
        typer.echo(tuning.in_words(), err=True)
