"""The desk of the command line: notes go to standard error, and a bar shows how far long work has come."""

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import Protocol

import typer
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from veridex.cli.spoken import note_spoken
from veridex.front import DESK as CLOCKS
from veridex.job.desk import Advance, Desk

__all__ = ["DESK", "desk_for"]


@contextmanager
def _watched(what: str, total: int) -> Iterator[Advance]:
    """Show a bar on standard error, if somebody watches it."""
    columns = (TextColumn(what), BarColumn(), MofNCompleteColumn(), TextColumn("items"), TimeRemainingColumn())
    console = Console(stderr=True)
    with Progress(*columns, console=console, transient=True, disable=not sys.stderr.isatty()) as bar:
        task = bar.add_task(what, total=total)
        yield lambda done, _: bar.update(task, completed=done)


DESK = replace(CLOCKS, say=lambda note: typer.echo(note_spoken(note), err=True), watched=_watched)
"""Standard output holds the table alone."""


class Quieted(Protocol):
    """A request that says whether notes are wanted."""

    @property
    def quiet(self) -> bool:
        """Whether nothing is said on standard error."""


def desk_for(asked: Quieted) -> Desk:
    """The desk of a call: nothing is said, and no bar shown, where none is wanted."""
    return CLOCKS if asked.quiet else DESK
