"""A backtest as a whole: the error by lead time, and the folds that it was made of."""

import numpy as np
from matplotlib.figure import Figure
from matplotlib.ticker import MaxNLocator

from veridex.core.backtest.trial import Trial
from veridex.figures.style import AMBER, INK, PLUM, TEAL, bare_axes, new_figure, style_axes

__all__ = ["draw_folds", "draw_lead_times"]

MOST = 5
"""Methods shown besides the benchmark."""

STYLES = ((AMBER, "-", 2.6), (TEAL, "-", 1.8), (PLUM, "-", 1.8), (TEAL, (0, (5, 2)), 1.6), (PLUM, (0, (5, 2)), 1.6))


def draw_lead_times(trial: Trial, measure: str = "mase") -> Figure:
    """Draw the measure by lead time: the first in amber, the next in teal and plum, the benchmark in dotted ink."""
    ranked = [text for text in trial.standings(measure)["method"] if text not in map(str, trial.benchmarks)][:MOST]
    table = trial.scores(by=["method", "step"], common=True)
    figure = new_figure()
    axes = figure.add_subplot()
    for text, (color, line, width) in zip(ranked, STYLES, strict=False):
        own = table[table["method"] == text]
        axes.plot(own["step"], own[measure], color=color, linestyle=line, linewidth=width, label=text)
    plain = trial.benchmarks[0].text
    benchmark = table[table["method"] == plain]
    axes.plot(benchmark["step"], benchmark[measure], ":", color=INK, linewidth=1.6, label=f"{plain} (benchmark)")
    axes.set_ylim(bottom=0)
    axes.set_xlim(table["step"].min(), table["step"].max() if len(table) else 1)
    axes.xaxis.set_major_locator(MaxNLocator(integer=True))
    bare_axes(axes)
    axes.set_xlabel(f"lead time ({trial.history.cadence.plural})", color=INK)
    axes.set_ylabel(f"{measure}, mean of {len(trial.history)} items" if len(trial.history) > 1 else measure, color=INK)
    axes.set_title(f"Error by lead time ({trial.scheme.in_words()})", color=INK, fontsize=13, loc="left", pad=12)
    figure.legend(loc="outside lower center", ncols=2, frameon=False, labelcolor=INK)
    return figure


def draw_folds(trial: Trial) -> Figure:
    """Draw, for the longest item, what each origin was fitted on (ink) and tested on (amber), oldest at the top."""
    series = max(trial.history, key=len)
    folds = trial.scheme.folds(series)
    window = trial.scheme.training_window
    figure = new_figure()
    axes = figure.add_subplot()
    stamps = series.cadence.starts(np.arange(series.start, series.start + len(series) + 1))
    style_axes(axes, series.cadence, series.measure, stamps)
    for row, fold in enumerate(folds, start=1):
        first = 0 if window is None else max(fold.stop - window, 0)
        spans = ((first, fold.stop, INK, 5.0), (fold.stop + fold.gap, fold.stop + fold.horizon, AMBER, 5.0))
        for begin, end, color, width in spans:
            axes.plot(stamps[[begin, end]], [row, row], color=color, linewidth=width, solid_capstyle="butt")
    axes.set_ylim(len(folds) + 0.5, 0.5)
    axes.yaxis.set_major_locator(MaxNLocator(integer=True))
    axes.set_ylabel("fold", color=INK)
    title = f"{series.item}: {len(folds)} folds, fitted on what is dark, tested on what is amber"
    axes.set_title(title, color=INK, fontsize=13, loc="left", pad=12)
    return figure
