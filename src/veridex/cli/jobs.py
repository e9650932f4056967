"""What the commands have in common: progress, levels, figures, and which part of a table people see."""

import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
from matplotlib.figure import Figure
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from veridex.core.backtest.schemes import RollingOrigin
from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.methods.grammar import split_lineup
from veridex.core.preparation.regressors import Explaining
from veridex.core.publication.publication import Publication
from veridex.core.verdict.verdict import decide
from veridex.errors import ParameterError
from veridex.exchange.trials import read_trial
from veridex.figures.style import save
from veridex.front import backtest, publish

__all__ = [
    "Source",
    "backtest_with_progress",
    "draw",
    "file_name",
    "make",
    "publication_for_show",
]

MOST_FIGURES = 24
MANY_ITEMS = 100
"""From so many items on all cores are worth their start."""


def read_levels(text: str) -> tuple[float, ...]:
    """Levels as they are written on the command line."""
    try:
        return tuple(float(part) for part in text.split(","))
    except ValueError:
        raise ParameterError("levels", repr(text), "write percent separated by commas, as in 80,95") from None


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
        engine = "processes" if len(history) >= MANY_ITEMS else "serial"
    console = Console(stderr=True)
    with Progress(*columns, console=console, transient=True, disable=not sys.stderr.isatty()) as bar:
        task = bar.add_task("backtest", total=len(history))
        return backtest(
            history,
            None if methods is None else split_lineup(methods),
            scheme,
            read_levels(levels),
            engine=engine,
            progress=lambda done, _: bar.update(task, completed=done),
            drivers=explaining.drivers,
            events=explaining.events,
            foresight=explaining.foresight,
            checkpoint=checkpoint,
        )


@dataclass(frozen=True, slots=True)
class Source:
    """What is published from: the planner's own method, a trial in a file, or the default backtest; and the rule."""

    method: str | None
    trial: Path | None
    rule: str


def make(
    history: History, source: Source, horizon: int, origins: int, levels: str, explaining: Explaining
) -> tuple[Publication, tuple[str, ...]]:
    """Publish by the planner's own method, or by the verdict of a trial; and say which."""
    given: dict[str, Any] = {"drivers": explaining.drivers, "events": explaining.events}
    if source.method is not None:
        if source.trial is not None:
            raise ParameterError("method", repr(source.method), "pass --method or --from, not both")
        note = f"Published by your choice, {source.method}; nothing was backtested, so its error is not known."
        return publish(history, method=source.method, horizon=horizon, levels=read_levels(levels), **given), (note,)
    if source.trial is not None:
        trial = read_trial(source.trial)
        note = f"Published from {source.trial} ({trial.scheme.in_words()}; {len(trial.lineup)} methods)."
    else:
        scheme = RollingOrigin(horizon=horizon, origins=origins)
        trial = backtest_with_progress(history, None, scheme, levels, explaining)
        note = f"No trial was named: ran the default backtest ({trial.scheme.in_words()}; {len(trial.lineup)} methods)."
    verdict = decide(trial, source.rule)
    publication = publish(history, verdict, horizon=horizon, levels=read_levels(levels), **given)
    return publication, (note, *trial.notes)


def publication_for_show(publication: Publication, form: str) -> tuple[pd.DataFrame, str]:
    """All of one item's forecasts; of several items a row each. Files get the whole frame, history included."""
    if form != "table":
        return publication.frame, ""
    ahead = publication.forecasts
    ahead = ahead[ahead["scenario"] == ""]
    empty = [name for name in ("reason", "scenario") if (ahead[name] == "").all()]
    if len(publication.items) == 1:
        item = publication.items[0]
        method = publication.manifest["items"][item]["method"]
        title = f"{item}: next {len(ahead)} periods " + (f"by {method}" if method else "are not available")
        return ahead.drop(columns=["item", "kind", "method", *empty]), title
    first = ahead[ahead["step"] == 1].drop(columns=["kind", "step", "stderr", "tested", *empty])
    scores = [publication.manifest["items"][item].get("scores") or {} for item in first["item"]]
    first.insert(2, "total", ahead.groupby("item", sort=False)["value"].sum(min_count=1).to_numpy())
    first["measure"] = [score.get("measure") for score in scores]
    first["error"] = [score.get("error", np.nan) for score in scores]
    first["gain"] = [score.get("gain", np.nan) for score in scores]
    first = first.rename(columns={"value": "next", "total": f"next {publication.manifest['horizon']} in all"})
    return first, f"{len(first)} items: the next period and the total (write with --to for every period)"


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
