"""The measure against a tuned setting, with its standard error."""

import numpy as np
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Patch

from veridex.core.backtest.tuning import Tuning
from veridex.figures.style import AMBER, BANDS, INK, TEAL, bare_axes, new_figure, wrapped

__all__ = ["draw_tuning"]

LONG = 16
"""Letters of settings from which on the legend takes two rows."""


def draw_tuning(tuning: Tuning) -> Figure:
    """Draw the curve over one setting, or a row of points over every combination of several."""
    frame, measure = tuning.frame, tuning.measure
    names = list(tuning.settings[0])
    values = frame[names[0]]
    numeric = len(names) == 1 and all(isinstance(one, (int, float)) and not isinstance(one, bool) for one in values)
    at = values.to_numpy(dtype=float) if numeric else np.arange(len(frame), dtype=float)
    curve, error = frame[measure].to_numpy(), frame["std_error"].to_numpy()
    figure = new_figure()
    axes = figure.add_subplot()
    best = int(np.flatnonzero(frame["best"])[0])
    reach = curve[best] + np.nan_to_num(error[best])
    axes.axhspan(curve[best], reach, color=BANDS[2], linewidth=0)
    if numeric:
        order = np.argsort(at)
        axes.plot(at[order], curve[order], color=TEAL, linewidth=1.8)
    axes.errorbar(at, curve, yerr=error, fmt="none", ecolor=TEAL, elinewidth=1.4, alpha=0.7)
    axes.plot(at, curve, "o", color=TEAL, markersize=7)
    axes.plot(at[best], curve[best], "o", color=AMBER, markersize=12)
    simplest = int(np.flatnonzero(frame["method"] == tuning.simplest_method)[0])
    axes.plot(at[simplest], curve[simplest], "o", color="none", markeredgecolor=INK, markersize=17, markeredgewidth=1.6)
    untuned = tuning.untuned_measure
    if np.isfinite(untuned):
        axes.axhline(untuned, color=INK, linestyle=":", linewidth=1.4)
    labels = [", ".join(f"{name}={_word(one[name])}" for name in names) for one in tuning.settings]
    if numeric:
        axes.set_xticks(at, [_word(value) for value in values])
        axes.set_xlabel(names[0], color=INK)
    else:
        axes.set_xticks(at, [wrapped(text.replace(", ", " "), 16) for text in labels])
    bare_axes(axes)
    count = len(tuning.trial.history)
    axes.set_ylabel(f"{measure}, mean of {count} items" if count > 1 else measure, color=INK)
    who = f"{count} items" if count > 1 else tuning.trial.history.names[0]
    axes.set_title(f"{who}: {tuning.base} over {', '.join(names)}", color=INK, fontsize=13, loc="left", pad=12)
    handles: list[Line2D | Patch] = [
        Line2D([], [], color=AMBER, marker="o", linestyle="", markersize=10, label=f"best: {labels[best]}"),
        Line2D(
            [],
            [],
            color="none",
            marker="o",
            markeredgecolor=INK,
            markersize=12,
            label=f"simplest within: {labels[simplest]}",
        ),
        Patch(color=BANDS[2], label="within one standard error of the best"),
    ]
    if np.isfinite(untuned):
        handles.append(Line2D([], [], color=INK, linestyle=":", label="untuned"))
    columns = len(handles) if len(labels[best]) < LONG else 2
    figure.legend(handles=handles, loc="outside lower center", ncols=columns, frameon=False, labelcolor=INK)
    return figure


def _word(value: object) -> str:
    return {True: "yes", False: "no"}[value] if isinstance(value, bool) else str(value)
