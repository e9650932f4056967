"""What a method missed: errors in time, against the normal law, by period of the season, following each other."""

from dataclasses import dataclass
from typing import Unpack

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from scipy.special import ndtri

from veridex.core.arrays import FloatArray, deviation
from veridex.core.backtest.trial import Trial
from veridex.core.diagnosis.audit import Audit
from veridex.core.diagnosis.correlogram import of_values
from veridex.core.fitted.fitted import Fitted
from veridex.core.history.item import ItemHistory
from veridex.core.methods.short_names import short_name
from veridex.figures.bars import draw_bars
from veridex.figures.choices import item_of
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import AMBER, GRID, INK, PLUM, TEAL, TEALS, bare_axes, number_axis, wrapped
from veridex.figures.timeline import Timeline

__all__ = ["residuals"]

NAMED = 3
"""Largest errors that are dated."""


@dataclass(frozen=True, slots=True, eq=False)
class Missed:
    """Errors in order of time, from the period `start` on, with what they are and their audit."""

    series: ItemHistory
    start: int
    errors: FloatArray
    audit: Audit
    what: str
    axis: str


@view
def residuals(
    source: Fitted | Trial,
    item: str | None = None,
    method: str | None = None,
    *,
    step: int = 1,
    **asked: Unpack[Asked],
) -> Figure:
    """Draw the errors of a fit, or those of a method on the holdout of a trial.

    In time on the scale that is modelled, the largest dated; their histogram with the normal curve; their quantiles
    against those of the normal law; by period of the season; their autocorrelations, lags running down.

    Parameters
    ----------
    source : Fitted or Trial
        A trial gives errors at one lead time over its origins; of a single origin all steps, standardised.
    item, method : str, optional
        Of a trial; needed where it has several.
    step : int
        The lead time.
    **asked
        since, until, scale (of the errors), title, ax.
    """
    sheet = Sheet.of(asked, panels=True)
    found = _of_fit(source) if isinstance(source, Fitted) else _of_trial(source, item, method, step)
    one, known = found.series, np.isfinite(found.errors)
    if not known.any():
        axes = sheet.figure.add_subplot()
        axes.axis("off")
        axes.text(0.5, 0.5, found.audit.reason or "no error is known", ha="center", transform=axes.transAxes)
        sheet.titled(f"{one.item}, {found.what}", size=12.0)
        return sheet.whole
    grid = sheet.figure.add_gridspec(2, 3, width_ratios=(1.5, 1.0, 1.0), height_ratios=(1.15, 1.0))
    over_time = sheet.figure.add_subplot(grid[0, :2])
    shares = sheet.figure.add_subplot(grid[0, 2], sharey=over_time)
    _in_time(sheet, over_time, found)
    _histogram(shares, found.errors[known])
    _by_phase(sheet.figure.add_subplot(grid[1, 0]), found)
    _quantiles(sheet.figure.add_subplot(grid[1, 1]), found.errors[known])
    _correlogram(sheet.figure.add_subplot(grid[1, 2]), found)
    reading = found.audit.reading.split(f"{found.audit.scope}: ")[-1] if not found.audit.reason else found.audit.reason
    sheet.titled(f"{one.item}, {found.what}: {reading}", size=12.0)
    return sheet.whole


def _of_fit(fitted: Fitted) -> Missed:
    """The innovations of a fit."""
    scaled = fitted.innovations
    plain = np.allclose(np.nan_to_num(scaled), np.nan_to_num(fitted.residuals), rtol=1e-6, atol=1e-9)
    unit = f"actual - fitted ({fitted.series.unit})" if fitted.series.unit else "actual - fitted"
    relative = fitted.account is not None and fitted.account.relative
    axis = unit if plain else "error, share of the forecast" if relative else "error on the scale that is modelled"
    what = f"{short_name(fitted.method)}, training span"
    return Missed(fitted.series, fitted.series.start, scaled, fitted.audit(), what, axis)


def _of_trial(trial: Trial, item: str | None, method: str | None, step: int) -> Missed:
    """Errors of the holdout, as the audit takes them."""
    name = item_of(trial.history.names, item)
    entered = trial.lineup[trial.method_index(method)] if method is not None else trial.entered[0]
    start, errors, standardised = trial.holdout_errors(name, entered.text, step)
    series = trial.history[name]
    ahead = "one step ahead from one origin" if standardised else f"{series.cadence.length(step)} ahead"
    unit = f" ({series.unit})" if series.unit else ""
    axis = "error in deviations of the fit" if standardised else f"actual - forecast{unit}"
    audit = trial.audit(name, entered.text, step)
    return Missed(series, start, errors, audit, f"{short_name(entered)}, holdout, {ahead}", axis)


def _in_time(sheet: Sheet, axes: Axes, found: Missed) -> None:
    """Errors as stems, with the span that holds 95 % of normal ones; the largest have their dates."""
    span = sheet.span(found.series.cadence, found.start, found.start + found.errors.size)
    line = Timeline.on(axes, found.series.cadence, span, None)
    x, errors = line.cut(found.start, found.errors)
    known = np.isfinite(errors)
    spread = deviation(found.errors[np.isfinite(found.errors)])
    axes.axhspan(-1.96 * spread, 1.96 * spread, color=GRID, alpha=0.6, linewidth=0)
    axes.axhline(0.0, color=INK, linewidth=0.8)
    axes.vlines(x[known], 0.0, errors[known], color=INK, linewidth=1.1 if known.sum() <= 200 else 0.5)
    if known.sum() <= 60:
        axes.plot(x[known], errors[known], "o", color=INK, markersize=3)
    largest = np.flatnonzero(known)[np.argsort(-np.abs(errors[known]), kind="stable")][:NAMED]
    first = max(line.first, found.start)
    named: list[int] = []
    for place in largest.tolist():
        axes.plot(x[place], errors[place], "o", color=AMBER, markersize=6)
        if any(abs(place - other) < 0.1 * errors.size for other in named):
            continue  # two dates beside each other cannot be read
        named.append(place)
        late = place > 0.8 * errors.size
        axes.annotate(
            found.series.cadence.text(first + place),
            (x[place], errors[place]),
            xytext=(-7 if late else 7, 2 if errors[place] > 0 else -9),
            textcoords="offset points",
            fontsize=8,
            color=AMBER,
            ha="right" if late else "left",
        )
    sheet.limits(axes, 1.08 * errors, [-2.2 * spread, 2.2 * spread])
    axes.set_ylabel(wrapped(found.axis, 42), color=INK)
    axes.set_title("in time (grey: holds 95 % of normal ones)", fontsize=11, color=INK, loc="left")


def _histogram(axes: Axes, errors: FloatArray) -> None:
    """How often errors have which size, lying, beside the panel in time, with the normal curve."""
    bare_axes(axes, "x")
    bins = int(np.clip(np.ceil(np.sqrt(errors.size)) + 1, 5, 40))
    middle, largest = 0.5 * float(errors.min() + errors.max()), float(np.abs(errors).max())
    # Errors that are equal, or differ in their last digits, have one bar.
    room = max(1.0, 1e-9 * largest) if np.ptp(errors) <= 1e-9 * largest else float(np.ptp(errors))
    ends = (middle - 0.5 * room, middle + 0.5 * room)
    axes.hist(errors, bins=bins, range=ends, density=True, orientation="horizontal", color=TEALS[0], edgecolor="white")
    spread = deviation(errors)
    if spread > 0:
        at = np.linspace(errors.mean() - 4 * spread, errors.mean() + 4 * spread, 161)
        density = np.exp(-0.5 * ((at - errors.mean()) / spread) ** 2) / (spread * np.sqrt(2 * np.pi))
        axes.plot(density, at, color=PLUM, linewidth=1.8)
    axes.tick_params(labelleft=False, labelbottom=False)
    axes.set_title("how often (line: normal)", fontsize=11, color=INK, loc="left")


def _quantiles(axes: Axes, errors: FloatArray) -> None:
    """Sorted errors against what as many normal ones would be."""
    bare_axes(axes)
    number_axis(axes, small=True)
    ranks = ndtri((np.arange(errors.size) + 0.5) / errors.size)
    line = errors.mean() + deviation(errors) * ranks
    axes.plot(ranks, line, color=PLUM, linewidth=1.4)
    axes.plot(ranks, np.sort(errors), "o", color=INK, markersize=3.5)
    axes.set_xlabel("deviations of the normal law", color=INK, fontsize=9)
    axes.tick_params(labelsize=9)
    axes.set_title("against the normal law", fontsize=11, color=INK, loc="left")


def _by_phase(axes: Axes, found: Missed) -> None:
    """Errors of each period of the season side by side, with their means; of all together where there is none."""
    one, m = found.series, found.series.season_length
    ordinals = found.start + np.arange(found.errors.size)
    phases = ordinals % m
    bare_axes(axes)
    number_axis(axes, small=True)
    axes.axhline(0.0, color=INK, linewidth=0.8)
    names = {
        int(phase): one.phase_name(int(at)) if m > 1 else "all" for at, phase in zip(ordinals, phases, strict=True)
    }
    shown = sorted(names, key=lambda phase: (phase - _first_phase(names)) % m)
    place = {phase: k for k, phase in enumerate(shown)}
    axes.plot([place[int(phase)] for phase in phases], found.errors, "o", color=TEAL, alpha=0.55, markersize=4)
    for phase in shown:
        values = found.errors[(phases == phase) & np.isfinite(found.errors)]
        if values.size:
            axes.hlines(values.mean(), place[phase] - 0.32, place[phase] + 0.32, color=PLUM, linewidth=2.4)
    every = -(-len(shown) // 12)
    short = [
        name[:3] if one.cadence.unit in ("M", "D", "B") and name[:1].isalpha() else name for name in names.values()
    ]
    labels = dict(zip(names, short, strict=True))
    axes.set_xticks(range(0, len(shown), every), [labels[phase] for phase in shown[::every]])
    axes.set_xlim(-0.7, len(shown) - 0.3)
    axes.tick_params(labelsize=9)
    axes.set_title("by period of the season (bars: means)", fontsize=11, color=INK, loc="left")


def _first_phase(names: dict[int, str]) -> int:
    """Where a season begins: January, Monday, midnight or the first quarter, where there is one."""
    for phase, name in names.items():
        if name in ("January", "Monday", "00:00", "Q1", "week 1"):
            return phase
    return 0


def _correlogram(axes: Axes, found: Missed) -> None:
    bars = of_values(found.errors, found.series.item, found.series.season_length, None, 0)
    if bars.reason:
        axes.axis("off")
        axes.text(0.5, 0.5, wrapped(bars.reason, 30), ha="center", color=INK, transform=axes.transAxes)
        return
    draw_bars(axes, bars.acf, np.full(bars.acf.size, bars.bound), "autocorrelation", found.series.season_length)
