"""What the commands have in common: progress, numbers in text, figures."""

import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
from matplotlib.figure import Figure
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from veridex.core.backtest.schemes import RollingOrigin
from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.methods.grammar import split_lineup
from veridex.core.preparation.regressors import Explaining
from veridex.errors import ParameterError
from veridex.figures.style import save
from veridex.front import backtest

__all__ = [
    "backtest_with_progress",
    "draw",
    "engine_for",
    "file_name",
    "read_numbers",
]

MOST_FIGURES = 24
MANY_ITEMS = 100
"""From so many items on all cores are worth their start."""


def read_numbers(name: str, text: str | None) -> tuple[float, ...]:
    """Levels or quantiles as they are written on the command line."""
    try:
        return () if text is None else tuple(float(part) for part in text.split(","))
    except ValueError:
        raise ParameterError(name, repr(text), "write percent separated by commas, as in 80,95") from None


def engine_for(history: History) -> str:
    """All cores for many items, this process for few."""
    return "processes" if len(history) >= MANY_ITEMS else "serial"


def backtest_with_progress(
    history: History,
    methods: str | None,
    scheme: RollingOrigin,
    levels: str,
    explaining: Explaining,
    engine: str = "auto",
    checkpoint: Path | None = None,
) -> Trial:
    """Run a backtest with a progress bar on standard error, if somebody watches it."""
    columns = (
        TextColumn("backtest"),
        BarColumn(),
        MofNCompleteColumn(),
        TextColumn("items"),
        TimeRemainingColumn(),
    )
    if engine == "auto":
        engine = engine_for(history)
    console = Console(stderr=True)
    with Progress(*columns, console=console, transient=True, disable=not sys.stderr.isatty()) as bar:
        task = bar.add_task("backtest", total=len(history))
        return backtest(
            history,
            None if methods is None else split_lineup(methods),
            scheme,
            levels=read_numbers("levels", levels),
            engine=engine,
            progress=lambda done, _: bar.update(task, completed=done),
            drivers=explaining.drivers,
            events=explaining.events,
            foresight=explaining.foresight,
            checkpoint=checkpoint,
        )


def draw(directory: Path, history: History, kind: str, figure_of: Callable[[str], Figure]) -> str:
    """Draw a figure per item, the largest items first, and say how many."""
    totals = {series.item: float(np.nansum(series.values)) for series in history}
    items = sorted(totals, key=lambda item: -totals[item])[:MOST_FIGURES]
    for item in items:
        save(figure_of(item), directory / f"{file_name(item)}-{kind}.png")
    left = f" (the {MOST_FIGURES} largest of {len(totals)} items)" if len(totals) > len(items) else ""
    return f"{len(items)} figures in {directory}{left}."


def file_name(item: str) -> str:
    """An item key that may hold anything, as a file name."""
    return "".join(c if c.isalnum() or c in "-_." else "_" for c in item).lstrip(".") or "item"
