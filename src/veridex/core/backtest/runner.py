"""Run a lineup over the folds of every item."""

import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np

from veridex.core.backtest.engine import Engine
from veridex.core.backtest.schemes import Scheme
from veridex.core.backtest.trial import Trial, TrialArrays
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method, method
from veridex.core.methods.contract import STATS, Rows, run_fold
from veridex.core.methods.status import Status
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
    shape = _Shape(origins, max(fold.horizon for found in folds for fold in found))
    work = partial(_run_item, lineup=lineup, scheme=scheme, levels=levels, shape=shape)
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
        arrays=TrialArrays.stacked(results),
    )


def _with_benchmarks(lineup: tuple[Method, ...], cycle: int) -> tuple[tuple[Method, ...], tuple[str, ...]]:
    """Enter the benchmarks that every verdict is held against, if the planner did not."""
    benchmarks = ("seasonal-naive", "naive") if cycle > 1 else ("naive",)
    added = tuple(method(text) for text in benchmarks if text not in {entered.text for entered in lineup})
    notes = (f"Added to the lineup as benchmark: {', '.join(map(str, added))}.",) if added else ()
    return lineup + added, notes


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
        plan = entered.family.prepare(entered.settings, series.cycle_length, shape.horizon, levels)
        warm = np.zeros(plan.warm_size)
        row, stats = np.empty(plan.row_size), np.empty(STATS)
        for o, (fold, span) in enumerate(zip(folds, spans, strict=True)):
            y = span.y
            begun = time.perf_counter()
            rows = Rows(
                points=out.points[0, m, o],
                stderr=out.stderr[0, m, o],
                lower=out.lower[0, m, o],
                upper=out.upper[0, m, o],
                row=row,
                fitted=fitted[: y.size],
                stats=stats,
            )
            status = run_fold(entered.family, plan, y, None, warm, rows)
            out.status[0, m, o] = status
            if status <= Status.DONE:
                out.parameters[0, m, o] = stats[2]
                known = ~np.isnan(span.actuals - rows.fitted)
                scale, square_scale = out.scales[0, o]
                terms = cell_terms(span.actuals[known], rows.fitted[known], scale, square_scale, centre)
                out.training[0, m, o] = terms.sum(axis=1)
                # A holdout may be shorter for this item than for others.
                for filled in (rows.points, rows.stderr, rows.lower, rows.upper):
                    filled[..., fold.horizon :] = np.nan
            out.seconds[0, m, o] = time.perf_counter() - begun
    return out
