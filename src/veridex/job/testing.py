"""Testing: from the words of a request to a scheme and a trial."""

from typing import Any

from veridex.core.backtest.engine import Engine
from veridex.core.backtest.lineup import entered_by_default
from veridex.core.backtest.pace import Pace
from veridex.core.backtest.runner import Course, refuse_without_folds, run_backtest
from veridex.core.backtest.scheme_words import made, spelled
from veridex.core.backtest.schemes import Scheme, default_scheme
from veridex.core.backtest.store import MemoryStore, Opener
from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.methods.catalogue import methods
from veridex.core.methods.grammar import Spelled
from veridex.core.preparation.regressors import Explanation
from veridex.core.scoring.levels import checked_levels
from veridex.errors import ParameterError
from veridex.exchange.stores import PartsDirectory
from veridex.exchange.trial_directories import for_a_while
from veridex.job.desk import Desk
from veridex.job.engines import IN_MEMORY, engine_of, running
from veridex.job.preparing import TO_TEST, parts_of, prepare
from veridex.job.requests import Testing

__all__ = ["HORIZON", "backtested", "course_of", "prepare_to_test", "scheme_of"]

HORIZON = 12

PARTS = ("horizon", "origins", "stride", "window", "first", "gap")
"""Words that change parts of a scheme."""


def backtested(
    history: History,
    testing: Testing,
    explaining: Explanation,
    desk: Desk,
    *,
    engine: Engine | None = None,
    opened: Opener | None = None,
) -> Trial:
    """Backtest a lineup, by the words of a request; what is kept already is taken over."""
    kept = None if testing.checkpoint is None else PartsDirectory(testing.checkpoint)
    opened = opened or (for_a_while() if len(history) > IN_MEMORY else MemoryStore.opened)
    engine = engine or engine_of(testing.engine, len(history))
    course = course_of(history, testing, explaining)
    prepare_to_test(history, course, desk)
    with desk.watched("backtest", len(history)) as progress:
        who = running(desk, engine, progress, kept, opened)
        return run_backtest(history, course, who)


def prepare_to_test(history: History, course: Course, desk: Desk) -> None:
    """Compile what a backtest needs, unless it would be refused anyway."""
    refuse_without_folds(history, course)
    prepare((*TO_TEST, *parts_of(course.lineup)), desk)


def course_of(history: History, testing: Testing, explaining: Explanation) -> Course:
    """What is tested, and how, in values."""
    return Course(
        lineup=methods(testing.methods) if testing.methods else entered_by_default(history, driven=explaining.given),
        scheme=scheme_of(history, testing),
        levels=checked_levels(testing.levels),
        explaining=explaining,
        pace=Pace(search_every=testing.search_every, refit_every=testing.refit_every),
    )


def scheme_of(history: History, testing: Testing) -> Scheme:
    """The scheme that a request tells of; what it does not tell is as by default.

    Raises
    ------
    ParameterError, SettingUnknown
        If words do not go together.
    """
    said = Spelled("rolling", {}) if testing.scheme is None else spelled(testing.scheme)
    stated = {name: value for name in PARTS if (value := getattr(testing, name)) is not None}
    if said.name != "rolling":
        stray = [name for name in stated if name != "horizon"]
        if stray:
            problem = f"a {said.name} has no {stray[0]}; state a rolling scheme, or leave it out"
            raise ParameterError(stray[0], repr(stated[stray[0]]), problem)
        return made(said)
    settings: dict[str, Any] = {"horizon": HORIZON, **said.settings, **stated}
    usual = default_scheme(history, settings["horizon"])
    if "origins" not in settings:
        settings = {"origins": usual.origins, "stride": usual.stride, **settings}
    return made(Spelled("rolling", settings))
