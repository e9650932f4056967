"""Run a lineup over the folds of every item."""

import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np

from veridex.core.backtest.engine import Engine
from veridex.core.backtest.schemes import Fold, Scheme
from veridex.core.backtest.trial import Trial, TrialArrays
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method, method
from veridex.core.methods.contract import STATS, FloatArray, Rows, run_fold
from veridex.core.methods.drivers_ahead import DriverRows, driver_rows, fill_with_futures
from veridex.core.methods.status import Status
from veridex.core.preparation.regressors import Explaining, Regressors
from veridex.core.preparation.training import TrainingSpan, training_span
from veridex.core.scoring.measures import cell_terms, naive_scales
from veridex.errors import HistoryTooShort

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
    lineup, notes = _with_benchmarks(lineup, history.cycle_length)
    explaining = explaining or Explaining()
    notes += explaining.notes([one.text for one in lineup if not one.family.takes_drivers])
    regressors = tuple(_regressors(one, history, explaining) for one in lineup)
    shape = _Shape(origins, max(fold.horizon for found in folds for fold in found))
    shown = _Shown(regressors, explaining.foresight)
    work = partial(_run_item, lineup=lineup, scheme=scheme, levels=levels, shape=shape, shown=shown)
    results = []
    for done, result in enumerate(engine.map(work, series), start=1):
        results.append(result)
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
        explaining=explaining,
        arrays=TrialArrays.stacked(results),
    )


def _with_benchmarks(lineup: tuple[Method, ...], cycle: int) -> tuple[tuple[Method, ...], tuple[str, ...]]:
    """Enter the benchmarks that every verdict is held against, if the planner did not."""
    benchmarks = ("seasonal-naive", "naive") if cycle > 1 else ("naive",)
    added = tuple(method(text) for text in benchmarks if text not in {entered.text for entered in lineup})
    notes = (f"Added to the lineup as benchmark: {', '.join(map(str, added))}.",) if added else ()
    return lineup + added, notes


def _regressors(entered: Method, history: History, explaining: Explaining) -> Regressors | None:
    if not entered.family.takes_drivers:
        return None
    return Regressors.chosen(history.cadence, explaining.drivers, explaining.events, entered.settings)


@dataclass(frozen=True, slots=True)
class _Shown:
    """The drivers and events of each method, and whether it sees their future."""

    regressors: tuple[Regressors | None, ...]
    foresight: str


@dataclass(frozen=True, slots=True)
class _Shape:
    origins: int
    horizon: int


@np.errstate(all="ignore")  # demand near the limits of floating point overflows in its squares
def _run_item(
    series: ItemHistory,
    *,
    lineup: tuple[Method, ...],
    scheme: Scheme,
    levels: tuple[float, ...],
    shape: _Shape,
    shown: _Shown,
) -> TrialArrays:
    """All methods over all folds of one item, in time order: each fold may start from the last one's optimum."""
    folds = scheme.folds(series)
    out = TrialArrays.allocate(1, len(lineup), shape.origins, len(levels), shape.horizon)
    spans: list[TrainingSpan] = []
    for o, fold in enumerate(folds):
        span = training_span(series, fold.stop, scheme.training_window)
        spans.append(span)
        out.origins[0, o] = series.start + fold.stop - 1
        out.actuals[0, o, : fold.horizon] = series.actuals[fold.stop : fold.stop + fold.horizon]
        out.scales[0, o] = naive_scales(span.actuals, series.cycle_length)
    # Any constant would do; this one is known at every origin.
    centre = float(np.nanmean(spans[0].actuals)) if spans and spans[0].y.size else 0.0
    fitted = np.empty(len(series))
    for m, entered in enumerate(lineup):
        regressors = shown.regressors[m]
        columns = () if regressors is None else regressors.columns
        plan = entered.family.prepare_with(entered.settings, series.cycle_length, shape.horizon, levels, columns)
        warm = np.zeros(plan.warm_size)
        row, stats = np.empty(plan.row_size), np.empty(STATS)
        for o, (fold, span) in enumerate(zip(folds, spans, strict=True)):
            y, drivers = span.y, None
            begun = time.perf_counter()
            if regressors is not None and y.size:
                drivers = _fold_drivers(regressors, series, fold, y, shape.horizon, shown.foresight)
                y = y[drivers.skipped :]
            rows = Rows(
                points=out.points[0, m, o],
                stderr=out.stderr[0, m, o],
                lower=out.lower[0, m, o],
                upper=out.upper[0, m, o],
                row=row,
                fitted=fitted[: y.size],
                stats=stats,
            )
            status = run_fold(entered.family, plan, y, None if drivers is None else drivers.x, warm, rows)
            out.status[0, m, o] = status
            if status <= Status.DONE:
                if drivers is not None:
                    fill_with_futures(entered.family, plan, y, drivers, rows)
                out.parameters[0, m, o] = stats[2]
                actuals = span.actuals[span.actuals.size - y.size :]
                known = ~np.isnan(actuals - rows.fitted)
                scale, square_scale = out.scales[0, o]
                terms = cell_terms(actuals[known], rows.fitted[known], scale, square_scale, centre)
                out.training[0, m, o] = terms.sum(axis=1)
                # A holdout may be shorter for this item than for others.
                for filled in (rows.points, rows.stderr, rows.lower, rows.upper):
                    filled[..., fold.horizon :] = np.nan
            out.seconds[0, m, o] = time.perf_counter() - begun
    return out


def _fold_drivers(
    regressors: Regressors, series: ItemHistory, fold: Fold, y: FloatArray, horizon: int, foresight: str
) -> DriverRows:
    """Driver rows of a fold; lead times that this fold does not test repeat the last one that it does."""
    start = series.start + fold.stop - y.size
    found = driver_rows(regressors, series.item, start, y, fold.horizon, series.cycle_length, foresight)
    beyond = horizon - fold.horizon
    if beyond == 0:
        return found
    x = np.vstack((found.x, np.repeat(found.x[-1:], beyond, axis=0)))
    futures = found.futures
    if futures is not None:
        futures = np.concatenate((futures, np.repeat(futures[:, -1:], beyond, axis=1)), axis=1)
    return DriverRows(x, futures, found.skipped)
