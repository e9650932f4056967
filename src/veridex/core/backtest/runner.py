"""Run a lineup over the folds of every item."""

from collections.abc import Callable

from threadpoolctl import threadpool_limits

from veridex.core.backtest.arrays import TrialArrays
from veridex.core.backtest.engine import Engine
from veridex.core.backtest.item_run import ItemWork
from veridex.core.backtest.pace import Pace
from veridex.core.backtest.schemes import Scheme
from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.methods.catalogue import Method, method
from veridex.core.preparation.regressors import Explaining, Regressors
from veridex.errors import HistoryTooShort, ParameterError

__all__ = ["run_backtest"]

Progress = Callable[[int, int], None]


def run_backtest(
    history: History,
    lineup: tuple[Method, ...],
    scheme: Scheme,
    levels: tuple[float, ...],
    engine: Engine,
    progress: Progress | None = None,
    explaining: Explaining | None = None,
    pace: Pace | None = None,
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
    lineup, notes = _with_benchmarks(lineup, history.cycle_length)
    explaining = explaining or Explaining()
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
    arrays = TrialArrays.allocate(len(series), len(lineup), origins, len(levels), work.horizon)
    # One thread in the matrix products, as the workers have: the same bits from every engine.
    with threadpool_limits(1):
        for i, found in enumerate(engine.map(work, series, work.lost)):
            arrays.put(i, found)
            if progress is not None:
                progress(i + 1, len(series))
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
        explaining=explaining,
        arrays=arrays.locked(),
    )


def _with_benchmarks(lineup: tuple[Method, ...], cycle: int) -> tuple[tuple[Method, ...], tuple[str, ...]]:
    """Enter the benchmarks that every verdict is held against, if the planner did not."""
    benchmarks = ("seasonal-naive", "naive") if cycle > 1 else ("naive",)
    added = tuple(method(text) for text in benchmarks if text not in {entered.text for entered in lineup})
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
