"""Rival methods side by side on one scale: over the actuals of a past origin, or into the future."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Unpack

import numpy as np
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Patch

from veridex.core.arrays import FloatArray
from veridex.core.backtest.trial import Trial
from veridex.core.fitted.fitted import fit
from veridex.core.history.item import ItemHistory
from veridex.core.methods.method import Method
from veridex.core.methods.short_names import short_name
from veridex.core.methods.words import counted
from veridex.core.readable import number
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.rivals import rivals_at, rivals_errors
from veridex.core.verdict.tested import trial_of
from veridex.core.verdict.verdict import Verdict
from veridex.errors import MeasureUnknown
from veridex.figures.choices import item_of, methods_of
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import AMBER, GRID, GROUND, INK, TEAL, wrapped
from veridex.figures.timeline import Timeline, line_key

__all__ = ["contenders"]

END = "end"


@dataclass(frozen=True, slots=True, eq=False)
class Rival:
    """A panel: whose forecast, the forecast, its error, why there is none, and whether it is published."""

    name: str
    points: FloatArray
    error: float
    reason: str
    won: bool = False


@view
def contenders(
    source: Trial | Verdict,
    item: str | None = None,
    methods: Sequence[str | Method] | None = None,
    *,
    origin: object = None,
    measure: str = "mase",
    **asked: Unpack[Asked],
) -> Figure:
    """Draw the forecasts of rival methods, a panel each on one scale, the best by its measure first.

    Parameters
    ----------
    source : Trial or Verdict
        A verdict's winner stands out, and a blend has a panel of its own.
    item : str, optional
        Needed where there are several.
    methods : sequence of str, optional
        By default those that were entered; benchmarks that were added are left out.
    origin : period or "end", optional
        The last known period, by default that of the last origin; with ``"end"`` each method is fitted to the whole
        history and goes on from its end, where there is nothing yet to compare it with.
    measure : str
        What panels say, and go by: of the trial's cells that every method has.
    **asked
        since, until, scale (that all panels share), title, ax.

    Raises
    ------
    ParameterError, ItemUnknown, MeasureUnknown
    """
    sheet, trial = Sheet.of(asked, panels=True), trial_of(source)
    name = item_of(trial.history.names, item)
    series, named = trial.history[name], methods_of(trial, methods)
    choice = source.choice(name) if isinstance(source, Verdict) else None
    errors = _errors(trial, name, measure, choice)
    if origin == END:
        start, rivals = series.start + len(series), _futures(trial, series, named, errors, choice)
    else:
        found = rivals_at(source, trial[name], named, errors, origin)
        start = found.start
        each = zip(found.names, found.points, found.errors, strict=True)
        rivals = [Rival(*one, found.reasons.get(k, ""), k == found.won) for k, one in enumerate(each)]
    rivals = sorted(rivals, key=lambda one: (np.isnan(one.points).all(), math.isnan(one.error), one.error))
    columns = 5 if len(rivals) > 12 else 4 if len(rivals) > 6 else min(3, len(rivals))
    rows = math.ceil(len(rivals) / columns)
    grid = sheet.figure.subplots(rows, columns, sharey=True, squeeze=False)
    lines = _panels(sheet, list(grid.ravel()), series, start, trial.horizon, rivals, columns)
    shown = [line.cut(series.start, series.actuals)[1] for line in lines[:1]]
    shown += [line.cut(start, one.points)[1] for line, one in zip(lines, rivals, strict=True)]
    for line in lines:
        sheet.limits(line.axes, *shown)
    sheet.titled(_title(series, start, origin == END))
    sheet.legend(_keys(rivals, origin == END), note=_footer(measure, trial, choice))
    return sheet.whole


def _errors(trial: Trial, item: str, measure: str, choice: Choice | None) -> list[float]:
    """Errors of the lineup: what the verdict goes by, or a measure on the cells that every method has."""
    if choice is not None:
        return rivals_errors(choice)
    table = trial.common_scores
    if measure not in table.columns:
        raise MeasureUnknown(measure, tuple(name for name in table.columns if name not in ("item", "method", "n")))
    own_rows = table[table["item"] == item].set_index("method")[measure]
    return [float(own_rows.get(one.text, np.nan)) for one in trial.lineup]


def _futures(
    trial: Trial, series: ItemHistory, named: Sequence[Method], errors: Sequence[float], choice: Choice | None
) -> list[Rival]:
    """Forecasts from the end of the history."""
    winner = None if choice is None else choice.winner
    entered = [(method, errors[trial.method_index(method)]) for method in named]
    if choice is not None and choice.joined and winner is not None:
        entered.append((winner.method, choice.claim.error))
    rivals = []
    for method, error in entered:
        driven = trial.driven and not method.alone
        fitted = None if driven else fit(series, method)
        points = np.full(trial.horizon, np.nan) if fitted is None else fitted.forecast(trial.horizon).points
        reason = "a trial does not keep its drivers" if fitted is None else fitted.reason
        won = winner is not None and winner.method == method
        rivals.append(Rival(short_name(method), points, error, reason, won))
    return rivals


def _panels(
    sheet: Sheet,
    panels: list[Axes],
    series: ItemHistory,
    start: int,
    horizon: int,
    rivals: list[Rival],
    columns: int,
) -> list[Timeline]:
    """Draw each rival, and hide the places that are left."""
    for axes in panels[len(rivals) :]:
        axes.set_visible(False)
    reach = len(rivals[0].points)
    before = max(2 * horizon, series.season_length, 6)
    first = series.start if sheet.since_stated else max(series.start, start - before)
    span = sheet.span(series.cadence, first, start + reach)
    lines = []
    for axes, one in zip(panels, rivals, strict=False):
        line = Timeline.on(axes, series.cadence, span, None, small=True)
        if start < series.start + len(series):
            line.ground(start, start + reach - 1, hatched=True)
        line.line(series.start, series.actuals, INK, width=1.2, marks=reach == 1)
        colour = AMBER if one.won else TEAL
        line.line(start, one.points, colour, width=2.0, marks=reach <= 3)
        if np.isnan(one.points).all():
            said = wrapped(one.reason, sheet.letters(8, 0.9 / columns))
            axes.text(0.04, 0.06, said, transform=axes.transAxes, fontsize=8, color=INK)
        axes.set_title(_panel_title(sheet, one, columns), fontsize=8.5, loc="left", color=colour)
        if one.won:
            for side in axes.spines.values():
                side.set(visible=True, color=AMBER, linewidth=1.5)
        lines.append(line)
    return lines


def _panel_title(sheet: Sheet, one: Rival, columns: int) -> str:
    """A name of three lines at most, and the error."""
    lines = wrapped(one.name, sheet.letters(8.5, 0.88 / columns)).split("\n")
    name = "\n".join([*lines[:2], lines[2][:-1] + "…"] if len(lines) > 3 else lines)
    score = "not tested in all cells" if math.isnan(one.error) else f"error {number(one.error, 3)}"
    return f"{name}\n{score}"


def _title(series: ItemHistory, start: int, ahead: bool) -> str:
    unit = f", {series.unit}" if series.unit else ""
    when = series.cadence.text(start - 1)
    if ahead:
        return f"{series.item}: forecasts from {when} on, where nothing came yet (one scale{unit})"
    return f"{series.item}: forecasts made at the end of {when}, and what came (one scale{unit})"


def _keys(rivals: list[Rival], ahead: bool) -> list[Artist]:
    keys: list[Artist] = [line_key("actual", INK, width=1.2)]
    if any(one.won for one in rivals):
        keys.append(line_key("what is published", AMBER, width=2.0))
    if any(not one.won for one in rivals):
        keys.append(line_key("a contender", TEAL, width=2.0))
    return keys if ahead else [*keys, Patch(facecolor=GROUND, edgecolor=GRID, hatch="///", label="held back")]


def _footer(measure: str, trial: Trial, choice: Choice | None) -> str:
    """What errors are of."""
    if choice is None:
        return f"error: {measure.upper()} on the cells that every method has, {trial.scheme.in_words()}"
    origins = counted(choice.claim.origins or choice.evidence.origins, "origin")
    apart = f", {counted(choice.claim.windows, 'separate window')}" if choice.claim.windows else ""
    return f"error: {choice.evidence.measure.upper()}, mean over {origins}{apart}"
