"""Run a lineup over the folds of every item."""

from collections.abc import Callable, Iterator
from typing import Protocol

from threadpoolctl import threadpool_limits

from veridex.core.backtest.arrays import TrialArrays
from veridex.core.backtest.engine import Engine
from veridex.core.backtest.item_run import ItemWork
from veridex.core.backtest.pace import Pace
from veridex.core.backtest.schemes import Scheme
from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method, benchmarks
from veridex.core.preparation.regressors import Explaining, Regressors
from veridex.errors import HistoryTooShort, ParameterError

__all__ = ["Store", "run_backtest"]

Progress = Callable[[int, int], None]


class Store(Protocol):
    """Keeps what is finished."""

    def load(self, key: bytes) -> TrialArrays | None:
        """The results of an item, if it was finished."""
        ...

    def save(self, key: bytes, arrays: TrialArrays) -> None:
        """Keep the results of an item."""
        ...


def run_backtest(
    history: History,
    lineup: tuple[Method, ...],
    scheme: Scheme,
    levels: tuple[float, ...],
    engine: Engine,
    progress: Progress | None = None,
    explaining: Explaining | None = None,
    pace: Pace | None = None,
    onto: Trial | None = None,
    store: Store | None = None,
    keep: str = "all",
) -> Trial:
    """Roll the origin over every item; see `veridex.backtest`, the public face.

    Raises
    ------
    HistoryTooShort
        If no item has a single fold.
    """
    series = list(history)
    folds = [scheme.folds(one) for one in series]
    origins = max(len(found) for found in folds)
    if origins == 0:
        longest = max(series, key=len)
        raise HistoryTooShort(
            f"{longest.item!r}, the longest item,",
            len(longest),
            scheme.fewest(),
            "the backtest",
            "Shorten the horizon.",
        )
    if pace is not None and pace.refit_every > 1 and scheme.training_window is not None:
        problem = "a sliding window moves the season's first period; estimate at every origin"
        raise ParameterError("refit_every", str(pace.refit_every), problem)
    lineup, notes = _with_benchmarks(lineup, history.season_length)
    explaining = explaining or Explaining()
    if onto is not None:
        _refuse_another(onto, history, (scheme, levels, pace or Pace(), explaining.perfect, explaining.given))
        lineup = onto.lineup + tuple(one for one in lineup if one not in onto.lineup)
    notes += explaining.notes([one.text for one in lineup if not one.family.takes_drivers])
    work = ItemWork(
        lineup=lineup,
        regressors=_regressors(lineup, history, explaining),
        scheme=scheme,
        levels=levels,
        origins=origins,
        horizon=max(fold.horizon for found in folds for fold in found),
        foresight=explaining.foresight,
        pace=pace or Pace(),
    )
    arrays = TrialArrays.allocate(len(series), len(lineup), origins, len(levels), work.horizon, keep)
    done = 0
    # One thread in the matrix products, as the workers have: the same bits from every engine.
    with threadpool_limits(1):
        keys = tuple(work.keys(one) for one in series)
        for part, places in _parts(work, series, keys, onto, arrays):
            methods = [lineup.index(one) for one in part.lineup]
            for i, found in zip(places, _results(part, [series[i] for i in places], engine, store), strict=True):
                arrays.put(i, found, methods)
                done += 1
                if progress is not None:
                    progress(done, len(series))
    wanted = getattr(scheme, "origins", 1)
    fewer = sum(len(found) < wanted for found in folds) if isinstance(wanted, int) else 0
    if fewer:
        notes += (f"{fewer} of {len(series)} items do not reach back to all {wanted} origins; they have fewer.",)
    return Trial(
        history=history,
        lineup=lineup,
        scheme=scheme,
        levels=levels,
        notes=notes,
        perfect=explaining.perfect,
        driven=explaining.given,
        pace=pace or Pace(),
        keys=keys,
        arrays=arrays.locked(),
    )


def _refuse_another(onto: Trial, history: History, made: tuple[Scheme, tuple[float, ...], Pace, bool, bool]) -> None:
    """Refuse to add to a trial that was made otherwise."""
    if (onto.scheme, onto.levels, onto.pace, onto.perfect, onto.driven) != made:
        problem = f"it was made by another scheme, levels, pace, foresight or drivers: {onto.scheme.in_words()}"
        raise ParameterError("onto", repr(onto), problem)
    if (onto.history.cadence, onto.history.season_length) != (history.cadence, history.season_length):
        raise ParameterError("onto", repr(onto), "it was made on another cadence or season length")


def _parts(
    work: ItemWork,
    series: list[ItemHistory],
    keys: tuple[tuple[str, ...], ...],
    onto: Trial | None,
    arrays: TrialArrays,
) -> list[tuple[ItemWork, list[int]]]:
    """What is left to be done, and for which items; what a trial holds under the same keys is taken over."""
    if onto is None:
        return [(work, list(range(len(series))))]
    known = {name: i for i, name in enumerate(onto.history.names)}
    missing: dict[tuple[int, ...], list[int]] = {}
    for i, one in enumerate(series):
        at = known.get(one.item)
        held = () if at is None else onto.keys[at]
        kept = [m for m, key in enumerate(held) if keys[i][m] == key]
        if at is not None and kept:
            arrays.put(i, onto.arrays.of_methods(kept), kept, at)
        missing.setdefault(tuple(m for m in range(len(work.lineup)) if m not in kept), []).append(i)
    return [(work.only(left), places) for left, places in missing.items() if left]


def _results(work: ItemWork, series: list[ItemHistory], engine: Engine, store: Store | None) -> Iterator[TrialArrays]:
    """Results in the items' order; those that a store has are not computed again."""
    if store is None:
        yield from engine.map(work, series, work.lost)
        return
    keys = [work.key(one) for one in series]
    held = [store.load(key) for key in keys]
    missing = [one for one, found in zip(series, held, strict=True) if found is None]
    computed = iter(engine.map(work, missing, work.lost))
    for key, found in zip(keys, held, strict=True):
        if found is None:
            found = next(computed)
            store.save(key, found)
        yield found


def _with_benchmarks(lineup: tuple[Method, ...], season_length: int) -> tuple[tuple[Method, ...], tuple[str, ...]]:
    """Enter the benchmarks that every verdict is held against, if the planner did not."""
    added = tuple(one for one in benchmarks(season_length) if one not in lineup)
    notes = (f"Added to the lineup as benchmark: {', '.join(map(str, added))}.",) if added else ()
    return lineup + added, notes


def _regressors(lineup: tuple[Method, ...], history: History, explaining: Explaining) -> tuple[Regressors | None, ...]:
    """The drivers and events of each method; methods that ask for the same ones share them."""
    shared: dict[str, Regressors | None] = {}
    found = []
    for one in lineup:
        asked = repr((one.settings.get("drivers"), one.settings.get("events"), one.family.takes_drivers))
        if asked not in shared:
            shared[asked] = None
            if one.family.takes_drivers:
                given = (explaining.drivers, explaining.events)
                shared[asked] = Regressors.chosen(history.cadence, *given, one.settings)
        found.append(shared[asked])
    return tuple(found)
