"""What the job is handed: somebody to tell, a clock, a way to show how far it has come."""

from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager, nullcontext
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import wraps
from typing import ParamSpec, TypeVar

from veridex.core.backtest.engine import Engine, SerialEngine
from veridex.core.backtest.runner import Running
from veridex.core.backtest.store import Keeper, MemoryStore, Opener
from veridex.core.publication.head import Made
from veridex.engines.clock import working_seconds
from veridex.engines.names import DASK, ENGINES
from veridex.engines.processes import ProcessEngine
from veridex.engines.versions import numeric_versions
from veridex.errors import ParameterError

__all__ = [
    "HERE",
    "IN_MEMORY",
    "Advance",
    "Desk",
    "engine_by_name",
    "engine_of",
    "made_now",
    "running",
    "silent",
    "staying",
    "unwatched",
]

P = ParamSpec("P")
R = TypeVar("R")

Advance = Callable[[int, int], None]

IN_MEMORY = 1000
"""Items up to which trials and publications are in memory; those of more are on disk, where nobody says otherwise."""

MANY_ITEMS = 100
"""From so many items on all cores are worth their start."""


def silent(_text: str) -> None:
    """Tell nobody."""


@contextmanager
def unwatched(_what: str, _total: int) -> Iterator[Advance]:
    """Show nobody how far it has come."""
    yield lambda _done, _total: None


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
    """

    now: Callable[[], datetime]
    seconds: Callable[[], float]
    say: Callable[[str], None] = silent
    watched: Callable[[str, int], AbstractContextManager[Advance]] = unwatched


HERE = Desk(now=lambda: datetime.now(UTC), seconds=working_seconds)
"""This machine's clock, and nobody to tell: what Python is called with prints nothing."""


def engine_of(engine: str | Engine, items: int = 0) -> Engine:
    """An engine by its name, or as it is; ``auto`` takes all cores for many items.

    Raises
    ------
    ParameterError
        If there is no such engine.
    """
    if not isinstance(engine, str):
        return engine
    if engine == "serial" or (engine == "auto" and items < MANY_ITEMS):
        return SerialEngine()
    if engine in ("processes", "auto"):
        return ProcessEngine()
    if engine == "dask" or engine.startswith(DASK):
        from veridex.engines.dask import DaskEngine  # few need it

        return DaskEngine(None if engine == "dask" else engine)
    raise ParameterError("engine", repr(engine), ENGINES)


def engine_by_name(work: Callable[P, R]) -> Callable[P, R]:
    """Work that is told its engine by name as well."""

    @wraps(work)
    def named(*given: P.args, **words: P.kwargs) -> R:
        if isinstance(words.get("engine"), str):
            words["engine"] = engine_of(str(words["engine"]))
        with staying(words.get("engine")):
            return work(*given, **words)

    return named


def staying(engine: object) -> AbstractContextManager[None]:
    """Let the workers of an engine, if it has some, stay for several rounds of work."""
    return engine.staying() if isinstance(engine, ProcessEngine) else nullcontext()


def running(
    desk: Desk,
    engine: Engine,
    progress: Advance | None = None,
    kept: Keeper | None = None,
    opened: Opener = MemoryStore.opened,
) -> Running:
    """Who does the work of a backtest, by whose clock, where finished items are kept and results go."""
    return Running(engine=engine, clock=desk.seconds, progress=progress, checkpoint=kept, opened=opened)


def made_now(desk: Desk) -> Made:
    """The instant, and the versions of everything that numbers depend on."""
    return Made(desk.now().isoformat(timespec="seconds"), numeric_versions())
