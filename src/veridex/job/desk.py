"""What the job is handed: somebody to tell, a clock, a way to show how far it has come."""

from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime

from veridex.engines.clock import working_seconds

__all__ = ["HERE", "Advance", "Desk", "silent", "unshown", "unwatched"]

Advance = Callable[[int, int], None]


def silent(_text: str) -> None:
    """Tell nobody."""


@contextmanager
def unwatched(_what: str, _total: int) -> Iterator[Advance]:
    """Show nobody how far it has come."""
    yield lambda _done, _total: None


@contextmanager
def unshown() -> Iterator[Callable[[str], None]]:
    """Show nobody what is waited for."""
    yield silent


@dataclass(frozen=True, slots=True, kw_only=True)
class Desk:
    """Who is told what the job does, and what it is told of the world.

    Attributes
    ----------
    say : callable
        Called with every note.
    now : callable
        The instant, UTC.
    seconds : callable
        Seconds that go by.
    watched : callable
        Given what is done and how much there is, a context whose value is called with how much of it is done.
    waiting : callable
        A context whose value is called with what is waited for, each time in the place of what was said before.
    """

    now: Callable[[], datetime]
    seconds: Callable[[], float]
    say: Callable[[str], None] = silent
    watched: Callable[[str, int], AbstractContextManager[Advance]] = unwatched
    waiting: Callable[[], AbstractContextManager[Callable[[str], None]]] = unshown


HERE = Desk(now=lambda: datetime.now(UTC), seconds=working_seconds)
"""This machine's clock, and nobody to tell: what Python is called with prints nothing."""
