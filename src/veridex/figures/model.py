"""A fitted method: what it made of the history and where it goes; and what each part of it adds."""

from collections.abc import Sequence
from typing import Unpack

import numpy as np
from matplotlib.artist import Artist
from matplotlib.figure import Figure

from veridex.core.fitted.fitted import Fitted
from veridex.core.fitted.forecast import Forecast
from veridex.core.methods.short_names import short_name
from veridex.core.readable import number
from veridex.core.scoring.levels import DEFAULT_LEVELS
from veridex.figures.overlays import LOOKS, lay
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import AMBER, BANDS, GRID, INK, TEAL, TEALS, band_color
from veridex.figures.timeline import Timeline, band_key, line_key

__all__ = ["contributions", "fit"]

BASES = ("trend", "arima", "level")
"""Parts that carry the level of demand: the others are drawn around zero."""

STILL = 1e-9
"""A part that moves less than this share of the largest does not move but for rounding."""

MOST = 6
"""Parts shown, those that move demand most."""


@view
def fit(
    fitted: Fitted,
    forecast: Forecast | int | None = None,
    *,
    levels: Sequence[float] | float = DEFAULT_LEVELS,
    overlay: object = None,
    **asked: Unpack[Asked],
) -> Figure:
    """Draw a history with the fitted values and their bounds, and the forecast from its end.

    Fitted values are one step ahead with estimates from the whole span: how closely a method follows what it has seen,
    which is no evidence of how well it forecasts. The legend says so, and what share of actuals the bounds of the fit
    held.

    Parameters
    ----------
    fitted : Fitted
    forecast : Forecast or int, optional
        A forecast of the same fit, or how far to forecast; by default one season, at least six periods; 0 for none.
    levels : sequence of float
        Of the bounds of the fitted values, and of the forecast where it is made here.
    overlay, **asked
        As for `history`.
    """
    sheet, one = Sheet.of(asked), fitted.series
    ahead = forecast if isinstance(forecast, Forecast) else _ahead(fitted, forecast, levels)
    found = fitted.one_step(levels if ahead is None else ahead.levels)
    stop = one.start + len(one) + (0 if ahead is None else ahead.points.size)
    line = Timeline.on(sheet.panel(), one.cadence, sheet.span(one.cadence, one.start, stop), one.measure)
    shown = list(DEFAULT_LEVELS) if ahead is None else list(ahead.levels)
    for j in reversed(range(len(shown))):
        line.band(one.start, found.lower[j], found.upper[j], band_color(j, TEALS))
        if ahead is not None:
            line.band(one.start + len(one), ahead.lower[j], ahead.upper[j], band_color(j))
    line.line(one.start, one.values, INK)
    line.line(one.start, fitted.fitted_values, TEAL, width=1.4, dash=(0, (4, 2)), marks=False)
    handles: list[Artist] = [line_key("actual", INK), _fitted_key(fitted)]
    keys, laid = lay(line, one, overlay, LOOKS[1::2])
    handles += keys
    drawn = [line.cut(one.start, values)[1] for values in (fitted.fitted_values, *found.lower, *found.upper)]
    if ahead is not None:
        line.line(one.start + len(one), ahead.points, AMBER, width=2.2)
        handles.append(line_key("forecast", AMBER, width=2.2))
        drawn += [line.cut(one.start + len(one), side)[1] for side in (ahead.points, *ahead.lower, *ahead.upper)]
    drawn += laid
    handles += band_key(shown, TEALS, "bounds of the fit")
    if ahead is not None:
        handles += band_key(shown, BANDS, "interval of the model, not tested")
    line.fit(sheet, one.start, one.values, *drawn)
    sheet.titled(f"{one.item}: {short_name(fitted.method)}{_held(fitted, shown, found.lower, found.upper)}", line.axes)
    if fitted.reason:
        line.axes.text(0.5, 0.95, fitted.reason, transform=line.axes.transAxes, ha="center", color=INK, wrap=True)
    sheet.legend(handles)
    return sheet.whole


def _ahead(fitted: Fitted, steps: int | None, levels: Sequence[float] | float) -> Forecast | None:
    wanted = max(fitted.series.season_length, 6) if steps is None else steps
    return fitted.forecast(wanted, levels) if wanted and fitted.available else None


def _fitted_key(fitted: Fitted) -> Artist:
    knew = "parameters from older data" if fitted.applied else "estimates from the whole span"
    return line_key(f"fitted, one step ahead with {knew}", TEAL, dash=(0, (4, 2)))


def _held(fitted: Fitted, levels: list[float], lower: np.ndarray, upper: np.ndarray) -> str:
    """What share of actuals the widest bounds of the fit held."""
    y = fitted.series.values
    known = ~np.isnan(y) & ~np.isnan(lower[-1])
    if not known.any():
        return ""
    share = 100.0 * np.mean((y[known] >= lower[-1][known]) & (y[known] <= upper[-1][known]))
    return f" (bounds of {levels[-1]:g} % held {number(float(share), 3)} % of the span)"


@view
def contributions(fitted: Fitted, horizon: int | None = None, **asked: Unpack[Asked]) -> Figure:
    """Draw what each part of a method adds to demand, on one scale: the level above, the other parts around zero.

    Parameters
    ----------
    fitted : Fitted
    horizon : int, optional
        How far ahead, in amber; by default one season, at least six periods.
    **asked
        since, until, scale (of the level), title, ax.
    """
    sheet, one = Sheet.of(asked, panels=True), fitted.series
    ahead = max(one.season_length, 6) if horizon is None else horizon
    table = fitted.contributions(ahead if fitted.available else 0)
    names = [name for name in table.columns if name not in ("period", "step", "total")]
    swings = {name: float(np.ptp(table[name].to_numpy())) for name in names}
    moving = [name for name in names if swings[name] > STILL * max(swings.values(), default=0.0)]
    if not moving:
        axes = sheet.figure.add_subplot()
        axes.axis("off")
        said = fitted.reason or f"{fitted.method} does not split its forecast into parts"
        axes.text(0.5, 0.5, said, ha="center", color=INK, transform=axes.transAxes, wrap=True)
        sheet.titled(f"{one.item}: what each part adds")
        return sheet.whole
    shown = sorted(sorted(moving, key=lambda name: -swings[name])[:MOST], key=names.index)
    start = int(one.cadence.ordinals(table["period"].to_numpy()[:1])[0])
    span = sheet.span(one.cadence, start, start + len(table))
    reach = _reach(table[shown].to_numpy(), shown, span[0] - start, span[1] - start)
    grid = sheet.figure.subplots(len(shown), 1, squeeze=False, sharex=True)
    past = int((table["step"] == 0).sum())
    for axes, name in zip(grid[:, 0], shown, strict=True):
        values = table[name].to_numpy(dtype=np.float64)
        line = Timeline.on(axes, one.cadence, span, None, small=True)
        line.line(start, values[:past], INK, width=1.4, marks=False)
        line.line(start + max(past - 1, 0), values[max(past - 1, 0) :], AMBER, width=2.2, marks=False)
        middle = _middle(line.cut(start, values)[1], name)
        axes.axhline(0.0, color=GRID, linewidth=1.0, zorder=0)
        axes.set_ylim(middle - reach, middle + reach)
        if name in BASES and sheet.scale is not None:
            axes.set_ylim(*sheet.scale)
        axes.set_title(name, color=INK, fontsize=10, loc="left", pad=3)
        axes.tick_params(labelsize=9)
    left = len(moving) - len(shown)
    sheet.titled(_contributions_title(fitted, left), size=12.0)
    sheet.legend([line_key("in the past", INK), line_key("ahead", AMBER, width=2.2)])
    return sheet.whole


def _reach(values: np.ndarray, names: list[str], low: int, high: int) -> float:
    """Half the width of the scale that all panels share."""
    inside = values[max(low, 0) : high]
    around = [inside[:, k] - _middle(inside[:, k], name) for k, name in enumerate(names)]
    return 1.1 * float(np.nanmax(np.abs(around))) or 1.0


def _middle(values: np.ndarray, name: str) -> float:
    """What a panel is centred on: zero, or of a part that carries the level the middle of it."""
    known = values[np.isfinite(values)]
    return 0.5 * float(known.max() + known.min()) if name in BASES and known.size else 0.0


def _contributions_title(fitted: Fitted, left: int) -> str:
    unit = f" ({fitted.series.unit})" if fitted.series.unit else ""
    fewer = f", {left} smaller ones left out" if left else ""
    said = f"{fitted.series.item}: what each part adds{unit}, all on scales of one width{fewer}"
    return f"{said}. {short_name(fitted.method)}"
