"""Forecasts over the actuals that came: from one origin or all, at one lead time from every origin; and the folds."""

import math
from collections.abc import Sequence
from typing import Unpack

import numpy as np
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Patch
from matplotlib.ticker import MaxNLocator

from veridex.core.backtest.trial import Trial
from veridex.core.methods.method import Method
from veridex.core.methods.words import counted
from veridex.core.readable import number
from veridex.core.verdict.tested import Tested, as_tested, trial_of
from veridex.core.verdict.verdict import Verdict
from veridex.errors import ParameterError
from veridex.figures.choices import item_of, methods_of
from veridex.figures.overlays import lay
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import AMBER, BANDS, GRID, GROUND, INK, PLUM, band_color, wrapped
from veridex.figures.timeline import Timeline, band_key, line_key, mark_key

__all__ = ["folds", "holdout", "rolling"]

BEFORE = 2.0
"""Seasons of history before what is tested."""


@view
def holdout(
    source: Trial | Verdict,
    item: str | None = None,
    methods: Sequence[str | Method] | str | Method | None = None,
    *,
    origin: object = None,
    overlay: object = None,
    **asked: Unpack[Asked],
) -> Figure:
    """Draw forecasts with their bands over the actuals that came, a panel for each method.

    Parameters
    ----------
    source : Trial or Verdict
        Of a verdict without methods what it would have forecast, decided by what was known at each origin.
    item : str, optional
        Needed where there are several.
    methods : sequence of str, optional
        By default the first method entered, or what the verdict chose.
    origin : period or "all", optional
        The last known period; by default that of the last origin. With ``"all"`` the forecasts of every origin, without
        bands.
    overlay
        As for `history`.
    **asked
        since, until, scale (that all panels share), title, ax.

    Raises
    ------
    ParameterError, ItemUnknown
        If there is no such item, method or origin.
    """
    sheet, trial = Sheet.of(asked, panels=True), trial_of(source)
    name = item_of(trial.history.names, item)
    named: Sequence[Method | None] = (None,) if methods is None else methods_of(trial, methods)
    found = [as_tested(source, name, one) for one in named]
    every = isinstance(origin, str) and origin == "all"
    columns = 1 if len(found) == 1 else 2 if len(found) <= 4 else 3
    grid = sheet.figure.subplots(math.ceil(len(found) / columns), columns, sharey=True, squeeze=False)
    for axes in grid.ravel()[len(found) :]:
        axes.set_visible(False)
    shown: list[np.ndarray] = []
    laid: list[Artist] = []
    for axes, one in zip(grid.ravel(), found, strict=False):
        place = one.last() if every else one.at(origin)
        line = _panel(sheet, axes, one, slice(None) if every else slice(place, place + 1), small=len(found) > 2)
        shown += _draw_all(line, one) if every else _draw_one(line, one, place)
        laid, values = lay(line, one.series, overlay)
        shown += values
        axes.set_title(wrapped(_said(one, place, every=every), sheet.letters(11, 1 / columns)), fontsize=11, loc="left")
        if one.reason:
            said = wrapped(one.reason, 60)
            axes.text(0.5, 0.5, said, transform=axes.transAxes, ha="center", color=PLUM)
    for axes in grid.ravel()[: len(found)]:
        sheet.limits(axes, *shown)
    sheet.titled(_title(found[0], found[0].last() if every else found[0].at(origin), every=every))
    keys: list[Artist] = [line_key("actual", INK), line_key("forecast", AMBER, width=2.2)]
    keys += laid if every else [*laid, *band_key(found[0].levels, BANDS, found[0].bands)]
    sheet.legend([*keys, Patch(facecolor=GROUND, edgecolor=GRID, hatch="///", label="held back")])
    return sheet.whole


def _panel(sheet: Sheet, axes: Axes, one: Tested, where: slice, *, small: bool) -> Timeline:
    """A panel that begins some seasons before what is tested, unless something else was asked for."""
    series, origins = one.series, one.origins[where]
    first = int(origins.min()) + 1 if origins.size else series.start + len(series)
    stop = min(int(origins.max()) + 1 + one.horizon, series.start + len(series)) if origins.size else first
    before = max(round(BEFORE * series.season_length), one.horizon, 6)
    start = series.start if sheet.since_stated else max(series.start, first - before)
    span = sheet.span(series.cadence, start, max(stop, start + 1))
    line = Timeline.on(axes, series.cadence, span, series.measure, small=small)
    if origins.size:
        line.ground(first, stop - 1, hatched=True)
    return line


def _draw_one(line: Timeline, one: Tested, place: int) -> list[np.ndarray]:
    """The forecast of one origin with its bands; what the panel must hold."""
    series = one.series
    if not one.origins.size:
        line.line(series.start, series.actuals, INK)
        return [line.cut(series.start, series.actuals)[1]]
    start = int(one.origins[place]) + 1
    for j in reversed(range(len(one.levels))):
        line.band(start, one.lower[j, place], one.upper[j, place], band_color(j))
    line.line(start, one.points[place], AMBER, width=2.2)
    line.line(series.start, series.actuals, INK)
    bounds = [line.cut(start, side[-1, place])[1] for side in (one.lower, one.upper)]
    return [line.cut(series.start, series.actuals)[1], line.cut(start, one.points[place])[1], *bounds]


def _draw_all(line: Timeline, one: Tested) -> list[np.ndarray]:
    """The forecasts of every origin."""
    series = one.series
    for origin, points in zip(one.origins.tolist(), one.points, strict=True):
        line.line(origin + 1, points, AMBER, width=1.2, marks=one.horizon == 1)
    line.line(series.start, series.actuals, INK)
    made = zip(one.origins.tolist(), one.points, strict=True)
    return [line.cut(series.start, series.actuals)[1], *(line.cut(origin + 1, points)[1] for origin, points in made)]


def _said(one: Tested, place: int, *, every: bool) -> str:
    """A method and how it did in what is shown."""
    errors = one.actuals - one.points if every else one.actuals[place : place + 1] - one.points[place : place + 1]
    known = errors[~np.isnan(errors)]
    if not known.size:
        return one.name
    held = one.held(slice(None) if every else place)
    inside = "" if every else f", {number(held, 3)} % inside {one.levels[-1]:g} %"
    return f"{one.name}: MAE {number(float(np.abs(known).mean()), 3)}, ME {number(float(known.mean()), 3)}{inside}"


def _title(one: Tested, place: int, *, every: bool) -> str:
    series = one.series
    if not one.origins.size:
        return f"{series.item}: no origin was tested"
    if every:
        return f"{series.item}: forecasts of all {one.origins.size} origins over what came"
    when = series.cadence.text(int(one.origins[place]))
    return f"{series.item}: forecast made at the end of {when}, over what came"


@view
def rolling(
    source: Trial | Verdict,
    item: str | None = None,
    method: str | Method | None = None,
    *,
    step: int = 1,
    overlay: object = None,
    **asked: Unpack[Asked],
) -> Figure:
    """Draw the forecast of one lead time from every origin, with its band, over the actuals.

    Parameters
    ----------
    source : Trial or Verdict
    item, method : str, optional
        As for `holdout`.
    step : int
        The lead time.
    overlay, **asked
        As for `history`.

    Raises
    ------
    ParameterError, ItemUnknown
    """
    sheet, trial = Sheet.of(asked), trial_of(source)
    one = as_tested(source, item_of(trial.history.names, item), method)
    if not 1 <= step <= one.horizon:
        raise ParameterError("step", repr(step), f"the trial looked {one.horizon} ahead")
    series = one.series
    target = one.origins + step
    first = int(target.min()) if target.size else series.start
    stop = int(target.max()) + 1 if target.size else series.start + len(series)
    points = np.full(stop - first, np.nan)
    lower, upper = np.full((2, len(one.levels), stop - first), np.nan)
    points[target - first] = one.points[:, step - 1]
    lower[:, target - first], upper[:, target - first] = one.lower[:, :, step - 1], one.upper[:, :, step - 1]
    before = max(series.season_length, 6)
    start = series.start if sheet.since_stated else max(series.start, first - before)
    line = Timeline.on(sheet.panel(), series.cadence, sheet.span(series.cadence, start, stop), series.measure)
    joined = _bridged(points, lower, upper, getattr(trial.scheme, "stride", 1))
    for j in reversed(range(len(one.levels))):
        line.band(first, joined[1][j], joined[2][j], band_color(j))
    line.line(first, joined[0], AMBER, width=1.8, marks=False)
    line.line(series.start, series.actuals, INK)
    line.marks(first, points, ~np.isnan(points), s=22 if target.size > 6 else 60, color=AMBER)
    actuals = np.full(points.size, np.nan)
    actuals[target - first] = one.actuals[:, step - 1]
    outside = (actuals < lower[-1]) | (actuals > upper[-1])
    line.marks(first, actuals, outside, s=90, facecolors="none", edgecolors=PLUM, linewidths=1.6)
    drawn = [line.cut(first, values)[1] for values in (points, lower[-1], upper[-1])]
    laid, values = lay(line, series, overlay)
    line.fit(sheet, series.start, series.actuals, *drawn, *values)
    held = one.held(slice(None))
    ahead = series.cadence.length(step)
    said = f"{series.item}: {one.name}, {ahead} ahead from {counted(one.origins.size, 'origin')}"
    step_held = _held_at(one, step)
    sheet.titled(f"{said}; {one.levels[-1]:g} % held {number(step_held, 3)} %" if held == held else said, line.axes)
    keys: list[Artist] = [line_key("actual", INK), line_key(f"forecast, {ahead} ahead", AMBER, width=2.2), *laid]
    sheet.legend(
        [
            *keys,
            *band_key(one.levels, BANDS, one.bands),
            mark_key("actual outside the widest", PLUM),
        ]
    )
    return sheet.whole


def _held_at(one: Tested, step: int) -> float:
    """Percent of the actuals of a lead time inside the widest bounds."""
    y, low, high = (values[..., step - 1] for values in (one.actuals, one.lower[-1], one.upper[-1]))
    known = ~np.isnan(y + low + high)
    return float(100.0 * np.mean((y[known] >= low[known]) & (y[known] <= high[known]))) if known.any() else float("nan")


def _bridged(points: np.ndarray, lower: np.ndarray, upper: np.ndarray, stride: int) -> tuple[np.ndarray, ...]:
    """Lines between origins that lie apart, for the eye alone; marks stand where there is a forecast."""
    if stride == 1:
        return points, lower, upper

    def filled(values: np.ndarray) -> np.ndarray:
        known = np.flatnonzero(~np.isnan(values))
        return np.interp(np.arange(values.size), known, values[known]) if known.size else values

    return filled(points), np.array([filled(one) for one in lower]), np.array([filled(one) for one in upper])


@view
def folds(trial: Trial, item: str | None = None, **asked: Unpack[Asked]) -> Figure:
    """Draw what each origin of a trial was fitted on and tested on, oldest at the top.

    Parameters
    ----------
    trial : Trial
    item : str, optional
        By default the longest.
    **asked
        since, until, title, ax.
    """
    sheet = Sheet.of(asked)
    series = max(trial.history, key=len) if item is None else trial.history[item_of(trial.history.names, item)]
    found, window = trial.scheme.folds(series), trial.scheme.training_window
    span = sheet.span(series.cadence, series.start, series.start + len(series))
    line = Timeline.on(sheet.panel(), series.cadence, span, None)
    width = float(np.clip(280.0 / max(len(found), 1), 1.5, 26.0))
    low, high = line.edge(span[0], -0.5), line.edge(span[1] - 1, 0.5)
    for row, fold in enumerate(found, start=1):
        first = 0 if window is None else max(fold.stop - window, 0)
        for begin, end, color in (
            (first, fold.stop, INK),
            (fold.stop, fold.stop + fold.gap, GRID),
            (fold.stop + fold.gap, fold.stop + fold.horizon, AMBER),
        ):
            a, b = line.edge(series.start + begin, -0.5), line.edge(series.start + end, -0.5)
            if end > begin and a < high and b > low:
                line.axes.plot(
                    [max(a, low), min(b, high)], [row, row], color=color, linewidth=width, solid_capstyle="butt"
                )
    line.axes.set_ylim(len(found) + 0.7, 0.3)
    line.axes.yaxis.set_major_locator(MaxNLocator(min(len(found), 10) or 1, integer=True))
    line.axes.set_ylabel("fold", color=INK)
    line.axes.grid(axis="x", color=GRID, linewidth=0.8)
    count = "one fold" if len(found) == 1 else f"{len(found)} folds"
    sheet.titled(f"{series.item}: {count}, {trial.scheme.in_words()}", line.axes, size=12.0)
    keys = [Patch(color=INK, label="fitted on"), Patch(color=AMBER, label="tested on")]
    if any(fold.gap for fold in found):
        keys.append(Patch(color=GRID, label="gap"))
    sheet.legend(keys)
    return sheet.whole
