"""One series as it is and as transform and differences leave it, each with its correlations."""

from typing import Unpack

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.correlogram import of_values
from veridex.core.diagnosis.differencing import differencing
from veridex.core.diagnosis.restated import restated
from veridex.core.diagnosis.stationarity import stationarity as tests_of
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.figures.bars import draw_bars
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import GRID, INK, TEAL, wrapped
from veridex.figures.timeline import Timeline, line_key

__all__ = ["stationarity"]


@view
def stationarity(
    series: History | ItemHistory,
    *,
    transform: str | None = None,
    d: int | None = None,
    D: int | None = None,
    lags: int | None = None,
    **asked: Unpack[Asked],
) -> Figure:
    """Draw a series in ink and below it what transform and differences leave, each beside its correlations.

    Bars are autocorrelations, diamonds partial ones, lags run down; the ground holds 95 % of white noise's.

    Parameters
    ----------
    series : ItemHistory or History of one item
    transform : {"none", "log", "box-cox"}, optional
    d, D : int, optional
        With none of the three, what `vx.differencing` advises.
    lags : int, optional
        Correlations up to this lag; by default two seasons.
    **asked
        since, until (of the lines: correlations are of all), scale (of the series), title, ax.

    Raises
    ------
    ParameterError
    """
    sheet, one = Sheet.of(asked, panels=True), only_item(series)
    span = sheet.span(one.cadence, one.start, one.start + len(one))
    left, words, reading = _left(one, transform, d, D)
    grid = sheet.figure.add_gridspec(2, 2, width_ratios=(1.9, 1.0))
    top = Timeline.on(sheet.figure.add_subplot(grid[0, 0]), one.cadence, span, one.measure)
    top.line(one.start, one.values, INK, width=1.4)
    top.fit(sheet, one.start, one.values)
    top.axes.set_title("as it is", fontsize=11, color=INK, loc="left")
    _correlations(sheet.figure.add_subplot(grid[0, 1]), one, np.array(one.values), lags)
    below = Timeline.on(sheet.figure.add_subplot(grid[1, 0]), one.cadence, span, None)
    known = left[~np.isnan(left)]
    if known.size:
        below.axes.axhline(float(known.mean()), color=GRID, linewidth=1.2)
        below.line(one.start + len(one) - left.size, left, TEAL, width=1.3, marks=False)
    below.axes.set_title(wrapped(words, sheet.letters(11, 0.6)), fontsize=11, color=INK, loc="left")
    _correlations(sheet.figure.add_subplot(grid[1, 1]), one, left, lags)
    sheet.titled(f"{one.item}: {reading}", size=12.0)
    sheet.legend([line_key("series", INK), line_key("what is left", TEAL)])
    return sheet.whole


def _left(one: ItemHistory, transform: str | None, d: int | None, D: int | None) -> tuple[FloatArray, str, str]:
    """What is left, what was done, and what the tests say of it."""
    if transform is None and d is None and D is None:
        advice = differencing(one)
        reading = tests_of(one).reading.removeprefix(f"{one.item}: ")
        return advice.values, f"after the advice: {advice.reading.removeprefix(f'{one.item}: ')}", reading
    made = restated(one, transform or "none", d or 0, D or 0)
    if made.reason:
        return np.empty(0), made.reason, made.reason
    reading = tests_of(one, transform=transform or "none", d=d or 0, D=D or 0).reading
    return made.values, made.words or "as it is", reading.removeprefix(f"{one.item}, {made.words}: ")


def _correlations(axes: Axes, one: ItemHistory, values: FloatArray, lags: int | None) -> None:
    """Autocorrelations as bars, partial ones as diamonds; or why there are none."""
    bars = of_values(values, one.item, one.season_length, lags, 0)
    if bars.reason:
        axes.axis("off")
        axes.text(0.5, 0.5, wrapped(bars.reason, 34), ha="center", color=INK, transform=axes.transAxes)
        return
    title = "bars: auto-, diamonds: partial correlation"
    draw_bars(axes, bars.acf, bars.moving_bound, title, one.season_length, bars.pacf)
