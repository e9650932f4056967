"""Run a lineup over the folds of every item."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from veridex.core.backtest.cutting import Cut, cuts
from veridex.core.backtest.engine import Engine, Progress
from veridex.core.backtest.filling import Filling
from veridex.core.backtest.item_run import ItemWork
from veridex.core.backtest.pace import Pace
from veridex.core.backtest.schemes import FEWEST, Fold, Scheme
from veridex.core.backtest.store import Extent, Keeper, Kept, MemoryStore, Opener
from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method, benchmarks
from veridex.core.preparation.regressors import Explanation, Regressors
from veridex.core.reading.neighbours import FOUND, Seasons, seasons_at
from veridex.core.threads import one_thread
from veridex.errors import HistoryTooShort, ParameterError

__all__ = ["Course", "Running", "refuse_without_folds", "run_backtest"]

COSTLY = 0.1
"""From this share of the cells on it is said that a method takes them from the comparison."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Course:
    """What is tested, and how: everything that results depend on besides the demand.

    Attributes
    ----------
    lineup : tuple of Method
    scheme : Scheme
    levels : tuple of float
    explaining : Explanation
    pace : Pace
    keep : {"all", "scores"}
    """

    lineup: tuple[Method, ...]
    scheme: Scheme
    levels: tuple[float, ...] = ()
    explaining: Explanation = field(default_factory=Explanation)
    pace: Pace = field(default_factory=Pace)
    keep: str = "all"


@dataclass(frozen=True, slots=True, kw_only=True)
class Running:
    """Who does the work, and what is there already: nothing that results depend on.

    Attributes
    ----------
    engine : Engine
    clock : callable
        Seconds that go by.
    progress : callable, optional
        Called with items done and items in all.
    checkpoint : Keeper, optional
        Where finished items are kept, and looked for.
    opened : callable
        Makes the stores that results go into; see `Opener`.
    """

    engine: Engine
    clock: Callable[[], float]
    progress: Progress | None = None
    checkpoint: Keeper | None = None
    opened: Opener = MemoryStore.opened


def run_backtest(history: History, course: Course, running: Running, onto: Trial | None = None) -> Trial:
    """Roll the origin over every item; see `veridex.backtest`, the public face.

    Raises
    ------
    HistoryTooShort
        If no item has a single fold.
    """
    lineup, added = _with_benchmarks(course.lineup, history.season_length)
    notes: tuple[str, ...] = ()
    if added:
        notes = (f"Added to the lineup as benchmark: {', '.join(map(str, added))}.",)
    if onto is not None:
        _refuse_another(onto, history, course)
        lineup = onto.lineup + tuple(one for one in lineup if one not in onto.lineup)
        added = tuple(one for one in (*onto.added, *added) if one not in (*onto.entered, *course.lineup))
    notes += course.explaining.notes([one.text for one in lineup if one.alone])
    held: list[Kept] = [one for one in (onto, running.checkpoint) if one is not None]
    whole = replace(course, lineup=lineup)
    notes += _freaks(history, _regressors(lineup, history, course.explaining))
    trial = _run(history, whole, running, held, _seasons(history, lineup, course.scheme, None))
    quiet, before = replace(running, progress=None), () if onto is None else onto.cuts
    cut_short = tuple(
        _run(
            cut.history,
            replace(whole, scheme=cut.scheme),
            quiet,
            [*held, *before],
            _seasons(history, lineup, cut.scheme, cut),
            number,
        )
        for number, cut in enumerate(cuts(history, course.scheme, trial.horizon), start=1)
    )
    fewer = _fewer(course.scheme, _folds(list(history), course))
    notes += fewer + _costly(trial) + tuple(map(_cut_note, cut_short))
    return replace(trial, notes=notes, added=tuple(dict.fromkeys(added)), cuts=cut_short)


def _run(
    history: History, course: Course, running: Running, held: list[Kept], seasons: dict[str, Seasons], number: int = 0
) -> Trial:
    """All items of a history by one scheme; what is held already is taken over."""
    series = list(history)
    folds = _folds(series, course)
    work = ItemWork(
        lineup=course.lineup,
        regressors=_regressors(course.lineup, history, course.explaining),
        scheme=course.scheme,
        season_length=history.season_length,
        origins=max(len(found) for found in folds),
        horizon=max(fold.horizon for found in folds for fold in found),
        foresight=course.explaining.foresight,
        pace=course.pace,
        clock=running.clock,
    )
    extent = Extent(len(course.lineup), work.origins, work.horizon, work.components, course.keep)
    store = running.opened(number, history.names, extent)
    keeping = running.checkpoint is not None or not store.whole
    work = replace(work, trailing=keeping and course.pace.refit_every == 1)
    # One thread in the matrix products, as the workers have: the same bits from every engine.
    with one_thread():
        Filling(store, work, history, seasons, [*held, *store.before]).run(
            running.engine, running.progress, running.checkpoint
        )
    store.finish()
    return Trial(
        history=history,
        lineup=course.lineup,
        scheme=course.scheme,
        levels=course.levels,
        perfect=course.explaining.perfect,
        driven=course.explaining.given,
        pace=course.pace,
        store=store,
    )


def _seasons(history: History, lineup: tuple[Method, ...], scheme: Scheme, cut: Cut | None) -> dict[str, Seasons]:
    """What items show of their seasons at each origin: of found groups always, and by the columns that methods name."""
    columns = dict.fromkeys((FOUND, *(column for one in lineup for column in one.borrows)))
    ends = {
        one.item: np.array([one.start + fold.stop - 1 for fold in scheme.folds(one)], dtype=np.int64)
        for one in (history if cut is None else cut.history)
    }
    return {column: seasons_at(history, column, ends, scheme.training_window) for column in columns}


def _folds(series: list[ItemHistory], course: Course) -> list[tuple[Fold, ...]]:
    """The folds of every item."""
    refuse_without_folds(series, course)
    return [course.scheme.folds(one) for one in series]


def refuse_without_folds(series: Iterable[ItemHistory], course: Course) -> None:
    """Refuse what no item can be tested by.

    Raises
    ------
    HistoryTooShort
        If no item has a single fold.
    ParameterError
        If estimates are to be kept while a window slides.
    """
    if not any(course.scheme.folds(one) for one in series):
        longest = max(series, key=len)
        who, need = f"{longest.item!r}, the longest item,", course.scheme.fewest()
        raise HistoryTooShort(who, len(longest), need, "the backtest", _too_far(longest, need))
    if course.pace.refit_every > 1 and course.scheme.training_window is not None:
        problem = "a sliding window moves the season's first period; estimate at every origin"
        raise ParameterError("refit_every", str(course.pace.refit_every), problem)


def _too_far(longest: ItemHistory, need: int) -> str:
    """What to do about a scheme that looks further than a history has periods after its first origin."""
    text, begin = longest.cadence.text, longest.start
    reach = need - FEWEST
    last = text(begin + len(longest) - 1)
    first = text(begin + FEWEST - 1)
    room = max(len(longest) - FEWEST, 0)
    return (
        f"Shorten the horizon: after its first origin, {first}, there are {room} periods up to {last}, and {reach} are "
        f"to be tested."
    )


def _fewer(scheme: Scheme, folds: list[tuple[Fold, ...]]) -> tuple[str, ...]:
    """Say how many items have fewer origins than were asked for."""
    wanted = getattr(scheme, "origins", 1)
    fewer = sum(len(found) < wanted for found in folds) if isinstance(wanted, int) else 0
    if not fewer:
        return ()
    return (f"{fewer} of {len(folds)} items do not reach back to all {wanted} origins; they have fewer.",)


def _cut_note(cut: Trial) -> str:
    """Say that long items were tested on as little as short ones have."""
    window = cut.scheme.training_window
    return f"{len(cut.history)} long items were tested on {window} periods too, as many as short ones have."


def _refuse_another(onto: Trial, history: History, course: Course) -> None:
    """Refuse to add to a trial that was made otherwise."""
    made = (onto.scheme, onto.pace, onto.perfect, onto.driven, onto.keeping)
    asked = (course.scheme, course.pace, course.explaining.perfect, course.explaining.given)
    if made != (*asked, course.keep):
        problem = f"it was made by another scheme, pace, foresight or drivers: {onto.scheme.in_words()}"
        raise ParameterError("onto", repr(onto), problem)
    if (onto.history.cadence, onto.history.season_length) != (history.cadence, history.season_length):
        raise ParameterError("onto", repr(onto), "it was made on another cadence or season length")


def _with_benchmarks(lineup: tuple[Method, ...], season_length: int) -> tuple[tuple[Method, ...], tuple[Method, ...]]:
    """Enter the benchmarks that every verdict is held against, if the planner did not; and which these are."""
    added = tuple(one for one in benchmarks(season_length) if one not in lineup)
    return lineup + added, added


def _costly(trial: Trial) -> tuple[str, ...]:
    """Say which method lacks many cells that all others have: nobody is ranked on these."""
    return tuple(
        f"{one} has no forecast in {lost:,} of {of:,} cells that all others have: methods are ranked on the rest."
        for one, (lost, of) in trial.costly.items()
        if lost >= COSTLY * of
    )


def _freaks(history: History, regressors: Sequence[Regressors | None]) -> tuple[str, ...]:
    """Readings of drivers that outweigh all others, each once."""
    used = {id(one): one for one in regressors if one is not None}.values()
    return tuple(dict.fromkeys(note for one in used for series in history for note in one.freaks(series)))


def _regressors(lineup: tuple[Method, ...], history: History, explaining: Explanation) -> tuple[Regressors | None, ...]:
    """The drivers and events of each method; methods that ask for the same ones share them."""
    shared: dict[str, Regressors | None] = {}
    found = []
    for one in lineup:
        asked = repr((one.settings.get("drivers"), one.settings.get("events"), one.alone))
        if asked not in shared:
            shared[asked] = None
            if not one.alone:
                given = (explaining.drivers, explaining.events)
                chosen = Regressors.chosen(history.cadence, *given, one.settings)
                if chosen is not None:
                    chosen.refuse_mirrors(history)
                shared[asked] = chosen
        found.append(shared[asked])
    return tuple(found)
