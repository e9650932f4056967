"""How methods rank: with their uncertainty, by lead time, by a setting, and against the volume of items."""

from collections.abc import Sequence
from typing import Any, Unpack

import numpy as np
import pandas as pd
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Patch
from matplotlib.ticker import FuncFormatter, LogLocator, MaxNLocator, NullFormatter

from veridex.core.backtest.cells import INTERVAL_MEASURES
from veridex.core.backtest.rivalry import distances
from veridex.core.backtest.scores import scores
from veridex.core.backtest.trial import Trial
from veridex.core.backtest.tuning import Tuning
from veridex.core.methods.words import counted
from veridex.core.readable import number, tick_number
from veridex.core.verdict.verdict import Verdict
from veridex.figures.choices import methods_of
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import AMBER, BANDS, INK, PLUM, TEAL, bare_axes, number_axis, padded, wrapped
from veridex.figures.timeline import line_key, mark_key

__all__ = ["lead_times", "standings", "tuning", "volume"]

LONGEST = 44
HOPELESS = 2.0
"""Errors so many times the benchmark's, or the best one's if that is larger, are off the scale."""

MOST = 5
"""Methods shown by lead time besides the benchmark."""

STYLES = ((AMBER, "-", 2.6), (TEAL, "-", 1.8), (PLUM, "-", 1.8), (TEAL, (0, (5, 2)), 1.6), (PLUM, (0, (5, 2)), 1.6))

NAMED = 6
"""Items that are named."""


@view
def standings(trial: Trial, measure: str = "mase", **asked: Unpack[Asked]) -> Figure:
    """Draw a row per method, best at the top: its measure, and the 95 % interval of its distance from the benchmark.

    The interval is laid around the measure, so that one which stays left of the benchmark's dotted line is a method
    that beats it; no error is below zero. What is far worse than the benchmark stands at the edge with its number.

    Parameters
    ----------
    trial : Trial
    measure : str
    **asked
        scale (of the measure), title, ax; there is no time to choose a span of.

    Raises
    ------
    MeasureUnknown
    """
    sheet = Sheet.of(asked)
    whole = trial.standings(measure)
    table, failed = whole[whole[measure].notna()], whole[whole[measure].isna()]
    benchmark = trial.benchmarks[0].text
    base = table.loc[table["method"] == benchmark, measure]
    axes = sheet.panel()
    reach = distances(trial, table["method"].tolist(), benchmark, measure) if len(table) else []
    low, high = _scale(sheet, table[measure].to_numpy(dtype=np.float64), base, reach)
    for row, (text, value) in enumerate(zip(table["method"], table[measure], strict=True)):
        color = AMBER if row == 0 else INK if text == benchmark else TEAL
        below, above = reach[row]
        if len(base) and np.isfinite(below):
            ends = np.clip([base.iloc[0] + below, base.iloc[0] + above], max(low, 0.0), high)
            axes.plot(ends, [row, row], color=color, linewidth=2.4, alpha=0.55)
        if low <= value <= high:
            axes.plot(value, row, "o", color=color, markersize=8)
        else:
            place, marker = (high, ">") if value > high else (low, "<")
            axes.plot(place, row, marker, color=color, markersize=9, clip_on=False)
    if len(base):
        axes.axvline(base.iloc[0], color=INK, linestyle=":", linewidth=1.4)
    pairs = zip(table["method"], table[measure], strict=True)
    names = [f"{_label(text)}   {number(float(value), 3)}" for text, value in pairs]
    names += [f"{_label(text)}   none" for text in failed["method"]]
    for row, reason in enumerate(failed["reason"], start=len(table)):
        look: dict[str, Any] = {"textcoords": "offset points", "va": "center", "fontsize": 8}
        axes.annotate(wrapped(reason, 90), (low, row), xytext=(4, 0), **look)
    axes.set_yticks(range(len(names)), names)
    axes.set_ylim(len(names) - 0.5, -0.5)
    bare_axes(axes, "x")
    number_axis(axes, along="x")
    axes.set_xlim(low, high)
    axes.set_xlabel(_measure_label(trial, measure), color=INK)
    cells = int(table["n"].iloc[0]) if len(table) else 0
    said = "one cell" if cells == 1 else f"{cells:,} cells"
    sheet.titled(f"Standings on {said} that every method has", axes, size=13.0)
    keys = [line_key(f"{benchmark} (benchmark)", INK, dash=":")]
    if any(np.isfinite(below) for below, _ in reach):
        keys.append(line_key("95 % interval of the distance from the benchmark", TEAL, width=2.4))
    if ((table[measure] > high) | (table[measure] < low)).any():
        keys.append(line_key("off the scale", TEAL, width=0, marker=">"))
    sheet.legend(keys)
    return sheet.whole


def _label(text: str) -> str:
    lines = wrapped(text, LONGEST).split("\n")
    return "\n".join(lines if len(lines) < 3 else [lines[0], f"{lines[1][:-1]}…"])


def _scale(
    sheet: Sheet, values: np.ndarray, base: "pd.Series[Any]", reach: list[tuple[float, float]]
) -> tuple[float, float]:
    """The stated scale, or one on which those that are not hopeless can be told apart, zero at its left."""
    if sheet.scale is not None:
        return sheet.scale
    if not values.size:
        return 0.0, 1.0
    limit = HOPELESS * max(float(base.iloc[0]) if len(base) else 0.0, float(np.nanmin(values)))
    shown = values[values <= limit] if limit > 0 else values
    inside = zip(values, reach, strict=True)
    ends = [float(base.iloc[0]) + above for value, (_, above) in inside if value <= limit] if len(base) else []
    known = [one for one in (*shown.tolist(), *ends) if np.isfinite(one) and one <= 1.2 * max(limit, 0.0)]
    low, high = padded(known or values)
    return min(low, 0.0), high


def _measure_label(trial: Trial, measure: str) -> str:
    many = len(trial.history)
    return f"{measure}, mean of {many} items" if many > 1 else measure


@view
def lead_times(
    trial: Trial, measure: str = "mase", methods: Sequence[str] | None = None, **asked: Unpack[Asked]
) -> Figure:
    """Draw a measure by lead time: the best in amber, the next in teal and plum, the benchmark in dotted ink.

    Parameters
    ----------
    trial : Trial
    measure : str
    methods : sequence of str, optional
        By default the best five.
    **asked
        scale, title, ax.

    Raises
    ------
    MeasureUnknown, ParameterError
    """
    sheet = Sheet.of(asked)
    plain = trial.benchmarks[0].text
    if methods is None:
        table = trial.standings(measure, brief=True)
        ranked = [text for text in table.loc[table[measure].notna(), "method"] if text != plain][:MOST]
    else:
        ranked = [one.text for one in methods_of(trial, methods) if one.text != plain]
    table = scores(trial, ("method", "step"), "holdout", common=True, intervals=measure.startswith(INTERVAL_MEASURES))
    axes, handles = sheet.panel(), []
    looks = [*(STYLES[k % len(STYLES)] for k in range(len(ranked))), (INK, ":", 1.6)]
    for text, (color, dash, width) in zip([*ranked, plain], looks, strict=True):
        own = table[table["method"] == text]
        marker = "o" if len(own) <= 30 else None
        axes.plot(own["step"], own[measure], color=color, linestyle=dash, linewidth=width, marker=marker, markersize=5)
        label = f"{text} (benchmark)" if text == plain else text
        handles.append(line_key(label, color, width=width, dash=dash, marker=marker))
    steps = table["step"] if len(table) else pd.Series([1])
    axes.set_xlim(steps.min() - 0.5, steps.max() + 0.5)
    axes.xaxis.set_major_locator(MaxNLocator(12, integer=True, min_n_ticks=1))
    bare_axes(axes)
    number_axis(axes)
    known = table.loc[table["method"].isin([*ranked, plain]), measure]
    low, high = padded(known.to_numpy(dtype=np.float64))
    axes.set_ylim(*((min(low, 0.0), high) if sheet.scale is None else sheet.scale))
    axes.set_xlabel(f"lead time ({trial.history.cadence.plural})", color=INK)
    axes.set_ylabel(_measure_label(trial, measure), color=INK)
    sheet.titled(f"Error by lead time ({trial.scheme.in_words()})", axes, size=13.0)
    sheet.legend(handles)
    return sheet.whole


@view
def tuning(found: Tuning, **asked: Unpack[Asked]) -> Figure:
    """Draw the measure against one setting, or a row of points over every combination of several.

    The best in amber, the simplest within one standard error of it ringed, that error as ground, untuned dotted.

    Parameters
    ----------
    found : Tuning
    **asked
        scale, title, ax.
    """
    sheet = Sheet.of(asked)
    axes = sheet.panel()
    frame, measure, names = found.frame, found.measure, list(found.settings[0])
    values = frame[names[0]]
    numeric = len(names) == 1 and all(isinstance(one, (int, float)) and not isinstance(one, bool) for one in values)
    at = values.to_numpy(dtype=float) if numeric else np.arange(len(frame), dtype=float)
    curve, error = frame[measure].to_numpy(dtype=np.float64), frame["std_error"].to_numpy(dtype=np.float64)
    if numeric:
        order = np.argsort(at)
        axes.plot(at[order], curve[order], color=TEAL, linewidth=1.8)
    axes.errorbar(at, curve, yerr=np.nan_to_num(error), fmt="none", ecolor=TEAL, elinewidth=1.4, alpha=0.7)
    axes.plot(at, curve, "o", color=TEAL, markersize=7)
    untuned = found.untuned_measure
    labels = [", ".join(f"{name}={_word(one[name])}" for name in names) for one in found.settings]
    bare_axes(axes)
    number_axis(axes)
    handles = [] if found.reason else _best_marked(axes, found, at, labels)
    if found.reason:
        axes.text(0.5, 0.5, wrapped(found.reason, 80), transform=axes.transAxes, ha="center", color=PLUM)
    if np.isfinite(untuned):
        axes.axhline(untuned, color=INK, linestyle=":", linewidth=1.4)
        handles.append(line_key("untuned", INK, dash=":"))
    if numeric:
        _ticks(axes, at, [_word(value) for value in values])
        axes.set_xlabel(names[0], color=INK)
    else:
        _ticks(axes, at, [wrapped(text.replace(", ", " "), 16) for text in labels])
    if sheet.scale is not None:
        axes.set_ylim(*sheet.scale)
    count = len(found.trial.history)
    axes.set_ylabel(_measure_label(found.trial, measure), color=INK)
    who = f"{count} items" if count > 1 else found.trial.history.names[0]
    sheet.titled(f"{who}: {found.base} over {', '.join(names)}", axes, size=13.0)
    sheet.legend(handles)
    return sheet.whole


def _best_marked(axes: Axes, found: Tuning, at: np.ndarray, labels: Sequence[str]) -> list[Artist]:
    """Mark what is best, what is simplest within one standard error of it, and how far that reaches; with the keys."""
    frame = found.frame
    curve, error = frame[found.measure].to_numpy(dtype=np.float64), frame["std_error"].to_numpy(dtype=np.float64)
    best, simplest = (
        int(np.flatnonzero(frame["method"] == text)[0]) for text in (found.best_method, found.simplest_method)
    )
    axes.axhspan(curve[best], curve[best] + np.nan_to_num(error[best]), color=BANDS[2], linewidth=0, zorder=0)
    axes.plot(at[best], curve[best], "o", color=AMBER, markersize=12)
    axes.plot(at[simplest], curve[simplest], "o", color="none", markeredgecolor=INK, markersize=17, markeredgewidth=1.6)
    return [
        line_key(f"best: {labels[best]}", AMBER, width=0, marker="o"),
        mark_key(f"simplest within: {labels[simplest]}", INK),
        Patch(color=BANDS[2], label="within one standard error of the best"),
    ]


def _ticks(axes: Axes, at: np.ndarray, labels: list[str]) -> None:
    """Ticks at the values that were tried, as many as fit beside each other."""
    order = np.argsort(at)
    every = max(-(-len(order) // 16), 1)
    kept = order[::every]
    axes.set_xticks(at[kept], [labels[k] for k in kept])


def _word(value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:.4g}" if isinstance(value, float) else str(value)


@view
def volume(source: Trial | Verdict, measure: str = "mase", method: str | None = None, **asked: Unpack[Asked]) -> Figure:
    """Draw the error of each item against its volume, which spreads over powers of ten; the worst are named.

    Parameters
    ----------
    source : Trial or Verdict
        Of a verdict the error of what it chose, as known then; of a trial that of a method.
    measure : str
        Of a trial; a verdict has its own.
    method : str, optional
        Of a trial; by default the best one.
    **asked
        scale (of the error), title, ax.

    Raises
    ------
    MeasureUnknown, ParameterError
    """
    sheet = Sheet.of(asked)
    axes = sheet.panel()
    trial = source.trial if isinstance(source, Verdict) else source
    if isinstance(source, Verdict):
        table = source.winners.set_index("item")
        said, label = "what the verdict chose, as decided then", "error over the benchmark's"
        fine = table["error"].astype(float) / table["benchmark_error"].astype(float)
    else:
        ranked = trial.standings(measure, brief=True)
        said = trial.lineup[trial.method_index(method)].text if method is not None else str(ranked["method"].iloc[0])
        own = trial.common_scores
        fine = own[own["method"] == said].set_index("item")[measure]
        label = measure
    volumes = pd.Series({one.item: float(np.nansum(np.abs(one.actuals))) for one in trial.history})
    shown = pd.DataFrame({"volume": volumes, "error": fine}).replace([np.inf, -np.inf], np.nan)
    known = shown.dropna()
    known = known[known["volume"] > 0]
    axes.plot(known["volume"], known["error"], "o", color=TEAL, alpha=0.75, markersize=7, clip_on=False)
    if isinstance(source, Verdict):
        axes.axhline(1.0, color=INK, linestyle=":", linewidth=1.4)
    bare_axes(axes)
    number_axis(axes)
    _log_axis(axes, known["volume"])
    sheet.limits(axes, known["error"].to_numpy(), [0.0])
    _name_worst(axes, known)
    axes.set_xlabel(f"{trial.history.measure.label}, all periods together", color=INK)
    axes.set_ylabel(label, color=INK)
    left = len(shown) - len(known)
    fewer = f"; {counted(left, 'item')} without an error" if left else ""
    sheet.titled(f"Error against volume, {counted(len(known), 'item')}: {said}{fewer}", axes, size=13.0)
    if isinstance(source, Verdict):
        sheet.legend([line_key("as good as the benchmark", INK, dash=":")])
    return sheet.whole


def _name_worst(axes: Axes, known: pd.DataFrame) -> None:
    """Write the names of the items with the largest errors, those aside that would lie on one another."""
    taken: list[tuple[float, float]] = []
    for item, row in known.sort_values("error", ascending=False).head(2 * NAMED).iterrows():
        x, y = axes.transData.transform((row["volume"], row["error"]))
        if len(taken) < NAMED and all(abs(x - a) > 190 or abs(y - b) > 22 for a, b in taken):
            taken.append((x, y))
            left = x > 0.8 * axes.bbox.x1
            place: dict[str, Any] = {"xytext": (-8 if left else 8, 4), "ha": "right" if left else "left"}
            look: dict[str, Any] = {"textcoords": "offset points", "fontsize": 8, "color": PLUM}
            axes.annotate(str(item)[:40], (row["volume"], row["error"]), **place, **look)


def _log_axis(axes: Axes, volumes: "pd.Series[float]") -> None:
    """A logarithmic axis whose ticks are plain numbers."""
    if not len(volumes) or volumes.max() < 3 * volumes.min():
        number_axis(axes, along="x")
        low, high = padded(volumes.to_numpy(), [0.0])
        axes.set_xlim(low, high)
        return
    axes.set_xscale("log")
    axes.set_xlim(volumes.min() / 1.5, volumes.max() * 2.2)
    axes.xaxis.set_major_locator(LogLocator(10, subs=(1.0, 3.0)))
    axes.xaxis.set_major_formatter(FuncFormatter(lambda value, _: tick_number(value, value)))
    axes.xaxis.set_minor_formatter(NullFormatter())
    axes.tick_params(which="minor", length=0)
