"""Who does the work: engines by name, when all cores are worth their start, and what results are made with."""

from collections.abc import Callable
from contextlib import AbstractContextManager, nullcontext
from functools import wraps
from typing import ParamSpec, TypeVar

from veridex.core.backtest.engine import Engine, SerialEngine
from veridex.core.backtest.runner import Running
from veridex.core.backtest.store import Keeper, MemoryStore, Opener
from veridex.core.publication.head import Made
from veridex.engines.names import DASK, ENGINES
from veridex.engines.processes import ProcessEngine
from veridex.engines.versions import numeric_versions
from veridex.errors import ParameterError
from veridex.job.desk import Advance, Desk

__all__ = ["IN_MEMORY", "engine_by_name", "engine_of", "made_now", "running", "staying"]

P = ParamSpec("P")
R = TypeVar("R")

IN_MEMORY = 1000
"""Items up to which trials and publications are in memory; those of more are on disk, where nobody says otherwise."""

MANY_ITEMS = 100
"""From so many items on all cores are worth their start."""


def engine_of(engine: str | Engine, items: int = 0) -> Engine:
    """An engine by its name, or as it is; ``auto`` takes all cores for many items.

    Raises
    ------
    ParameterError
        If there is no such engine.
    """
    if not isinstance(engine, str):
        if not hasattr(engine, "map"):
            raise ParameterError("engine", repr(engine), ENGINES)
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
