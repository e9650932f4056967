"""What `tune` reads and shows: grids, the curve, the figure."""

from collections.abc import Sequence
from typing import Any

import typer

from veridex import figures
from veridex.cli.desk import DESK
from veridex.cli.tables import paragraph, show
from veridex.core.backtest.tuning import Tuning as Found
from veridex.core.methods.grammar import parse_value, split_lineup
from veridex.errors import ParameterError
from veridex.front import tune
from veridex.job.drawing import draw_named
from veridex.job.pipeline import rolling
from veridex.job.reading import explanation, read
from veridex.job.requests import Explaining, Reading, Ruling, Telling, Testing, Tuning

__all__ = ["run_tune"]

CAPTION = "std_error: over items, or over the origins of a single one. within: one standard error of the best."


def run_tune(
    reading: Reading,
    tuning: Tuning,
    explaining: Explaining,
    testing: Testing,
    ruling: Ruling,
    telling: Telling,
) -> None:
    """Try settings of a method inside folds, and show what they are worth."""
    history = read(reading, ruling.tidy, DESK)
    told = explanation(explaining, reading, history, DESK)
    given = {"measure": tuning.measure, "drivers": told.drivers, "events": told.events}
    found = tune(history, tuning.method, read_grid(tuning.grid), rolling(history, testing), **given)  # type: ignore[arg-type]
    for note in found.trial.notes:
        DESK.say(note)
    show_tuning(found, telling.form)
    if telling.figures is not None:
        DESK.say(draw_named(telling.figures, {"tuning": lambda: figures.tuning(found)}))


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


def show_tuning(tuning: Found, form: str) -> None:
    """Print the curve, and what it says."""
    frame = tuning.frame
    if form == "table":
        title = f"{tuning.base}: {', '.join(tuning.settings[0])}, {tuning.trial.scheme.in_words()}"
        show(frame, form, title=title, hide=("method",), caption=CAPTION)
        typer.echo(paragraph(tuning.in_words()))
    else:
        show(frame, form, title="")
        typer.echo(tuning.in_words(), err=True)
