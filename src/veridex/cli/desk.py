"""The desk of the command line: notes go to standard error, and a bar shows how far long work has come."""

import re
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import Protocol

import typer
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from veridex.cli.spoken import note_spoken
from veridex.job.desk import HERE, Advance, Desk

__all__ = ["ALERTS", "DESK", "desk_for"]

ALERTS = 3
"""The exit code where the work is done, and there is something to look into."""

SECONDS = re.compile(r"\d+ s")

PATIENCE = 10.0
"""Seconds after which somebody wants to know."""


@contextmanager
def _watched(what: str, total: int) -> Iterator[Advance]:
    """Show a bar on standard error if somebody watches it; into a file, now and then a line of how far it is."""
    if not sys.stderr.isatty():
        yield _Lines(what, total)
        return
    columns = (TextColumn(what), BarColumn(), MofNCompleteColumn(), TextColumn("items"), TimeRemainingColumn())
    console = Console(stderr=True)
    with Progress(*columns, console=console, transient=True) as bar:
        task = bar.add_task(what, total=total)
        yield lambda done, _: bar.update(task, completed=done)


@contextmanager
def _waiting() -> Iterator[Callable[[str], None]]:
    """One line on standard error that moves if somebody watches it; into a file a line where something long begins."""
    if not sys.stderr.isatty():
        yield _OnChange()
        return
    with Console(stderr=True).status("") as status:
        yield status.update


class _OnChange:
    """A line where another long thing, which tells its seconds, is waited for; that seconds have gone by is no news."""

    def __init__(self) -> None:
        self._last = ""

    def __call__(self, text: str) -> None:
        news, _, counted = text.rpartition(", ")
        if SECONDS.fullmatch(counted) and news != self._last:
            self._last = news
            typer.echo(f"{news}.", err=True)


class _Lines:
    """Lines on standard error about long work: the first when it can be told how long it takes, then ever fewer."""

    def __init__(self, what: str, total: int) -> None:
        self._what, self._total, self._begun, self._next = what, total, time.monotonic(), PATIENCE

    def __call__(self, done: int, _total: int) -> None:
        passed = time.monotonic() - self._begun
        if passed < self._next or not 0 < done < self._total:
            return
        self._next = 2.0 * passed
        left = passed * (self._total - done) / done
        about = f"{left / 60:.0f} minutes" if left >= 90 else f"{left:.0f} seconds"
        typer.echo(f"{self._what}: {done:,} of {self._total:,} items; about {about} left.", err=True)


DESK = replace(HERE, say=lambda note: typer.echo(note_spoken(note), err=True), watched=_watched, waiting=_waiting)
"""Standard output holds the table alone."""


class Quieted(Protocol):
    """A request that says whether notes are wanted."""

    @property
    def quiet(self) -> bool:
        """Whether nothing is said on standard error."""


def desk_for(asked: Quieted) -> Desk:
    """The desk of a call: nothing is said, and no bar shown, where none is wanted."""
    return HERE if asked.quiet else DESK
