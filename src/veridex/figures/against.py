"""Demand against a driver: both over time, and how demand goes with the driver so many periods before."""

import math
from collections.abc import Sequence
from typing import Unpack

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.season_shape import level_around
from veridex.core.history.drivers import Drivers
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.errors import ParameterError
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import AMBER, GRID, INK, PLUM, TEAL, bare_axes, number_axis
from veridex.figures.timeline import Timeline, line_key

__all__ = ["driver"]

SCATTERED = 3
"""Lags that are shown point by point."""


@view
def driver(
    series: History | ItemHistory,
    drivers: Drivers,
    name: str | None = None,
    *,
    lags: int | Sequence[int] | None = None,
    raw: bool = False,
    **asked: Unpack[Asked],
) -> Figure:
    """Draw demand and a driver over time, their correlation at each lag, and their points at the strongest lags.

    Two things with a season go together whatever one has to do with the other; so both are compared without their
    season and their level, unless `raw` is asked for.

    Parameters
    ----------
    series : ItemHistory or History of one item
    drivers : Drivers
    name : str, optional
        Needed where there are several.
    lags : int or sequence of int, optional
        Up to this lag, or these: demand against the driver so many periods before; negative for after. By default one
        season, at most twelve.
    raw : bool
        Compare both as they are.
    **asked
        since, until, scale (of demand), title, ax.

    Raises
    ------
    ParameterError
        If there is no such driver.
    """
    sheet, one = Sheet.of(asked, panels=True), only_item(series)
    named = _name_of(drivers, name)
    values = drivers.over(one.item, one.start, len(one))[:, list(drivers.names).index(named)]
    first, stop = sheet.span(one.cadence, one.start, one.start + len(one))
    tried = _lags(lags, one)
    pair = (np.array(one.values), values) if raw else (_bare(one.values, one), _bare(values, one))
    inside = slice(first - one.start, stop - one.start)
    found = {lag: _pairs(*pair, lag, inside) for lag in tried}
    strengths = {lag: _correlation(*both) for lag, both in found.items()}
    grid = sheet.figure.add_gridspec(3, SCATTERED + 1, height_ratios=(1.0, 0.8, 1.3))
    top = Timeline.on(sheet.figure.add_subplot(grid[0, :]), one.cadence, (first, stop), one.measure)
    top.line(one.start, one.values, INK)
    top.fit(sheet, one.start, one.values)
    top.axes.tick_params(labelbottom=False)
    below = Timeline.on(sheet.figure.add_subplot(grid[1, :]), one.cadence, (first, stop), None)
    below.line(one.start, values, TEAL)
    below.axes.set_ylabel(named, color=INK)
    _bars(sheet.figure.add_subplot(grid[2, 0]), strengths, {lag: both[0].size for lag, both in found.items()})
    known = [lag for lag in tried if math.isfinite(strengths[lag])]
    best = sorted(known, key=lambda lag: (-abs(strengths[lag]), abs(lag)))[:SCATTERED]
    for place, lag in enumerate(sorted(best)):
        axes = sheet.figure.add_subplot(grid[2, place + 1])
        _points(axes, *found[lag], f"{_lag_in_words(one, lag)}: {strengths[lag]:.2f}")
    how = "as they are" if raw else "both without season and level"
    strongest = f"strongest {_lag_in_words(one, best[0])} ({strengths[best[0]]:.2f})" if best else "nothing to compare"
    sheet.titled(f"{one.item} against {named}: {strongest}, {how}", size=13.0)
    sheet.legend([line_key("demand", INK), line_key(named, TEAL), line_key("line of least squares", AMBER, width=2.0)])
    return sheet.whole


def _name_of(drivers: Drivers, name: str | None) -> str:
    known = ", ".join(drivers.names)
    if name is None and len(drivers.names) == 1:
        return drivers.names[0]
    if name not in drivers.names:
        raise ParameterError("name", repr(name), f"the drivers are {known}")
    return str(name)


def _lags(lags: int | Sequence[int] | None, one: ItemHistory) -> list[int]:
    if lags is None:
        lags = min(max(one.season_length, 6), 12)
    return list(range(lags + 1)) if isinstance(lags, int) else sorted(set(lags))


def _bare(values: FloatArray, one: ItemHistory) -> FloatArray:
    """What is left of values without the level around them and the mean of each period of the season."""
    y, m = np.array(values, dtype=np.float64), one.season_length
    rest = y - level_around(y, max(m, 3))
    for phase in range(m) if m > 1 else ():
        own = rest[phase::m]
        known = own[~np.isnan(own)]
        rest[phase::m] = own - (known.mean() if known.size else 0.0)
    return rest


def _pairs(demand: FloatArray, values: FloatArray, lag: int, inside: slice) -> tuple[FloatArray, FloatArray]:
    """Values of the driver, and demand so many periods later, where both are known."""
    moved = np.full(values.size, np.nan)
    if lag >= 0:
        moved[lag:] = values[: values.size - lag]
    else:
        moved[:lag] = values[-lag:]
    x, y = moved[inside], demand[inside]
    known = ~np.isnan(x + y)
    return x[known], y[known]


def _correlation(x: FloatArray, y: FloatArray) -> float:
    if x.size < 4 or x.std() <= 1e-12 * max(np.abs(x).max(), 1.0) or y.std() == 0.0:
        return math.nan
    return float(np.corrcoef(x, y)[0, 1])


def _bars(axes: Axes, strengths: dict[int, float], sizes: dict[int, int]) -> None:
    """Correlations by lag, with what chance would give at 95 %."""
    bare_axes(axes)
    number_axis(axes, small=True)
    lags = list(strengths)
    bound = [1.96 / math.sqrt(max(sizes[lag], 1)) for lag in lags]
    beyond = [abs(strengths[lag]) > limit for lag, limit in zip(lags, bound, strict=True)]
    axes.fill_between(lags, [-limit for limit in bound], bound, color=GRID, alpha=0.6, linewidth=0, step="mid")
    colors = [AMBER if one else INK for one in beyond]
    axes.bar(lags, [np.nan_to_num(strengths[lag]) for lag in lags], color=colors, width=0.6)
    axes.axhline(0.0, color=INK, linewidth=0.8)
    reach = max([abs(np.nan_to_num(one)) for one in strengths.values()] + bound)
    axes.set_ylim(-1.15 * reach, 1.15 * reach)
    axes.set_xlim(min(lags) - 0.6, max(lags) + 0.6)
    axes.set_xticks(lags[:: -(-len(lags) // 7)])
    axes.tick_params(labelsize=9)
    axes.set_title("correlation by lag (grey: chance)", fontsize=10, color=INK, loc="left")


def _points(axes: Axes, x: FloatArray, y: FloatArray, title: str) -> None:
    """Demand against the driver, point by point, with a line of least squares."""
    bare_axes(axes)
    number_axis(axes, small=True)
    number_axis(axes, small=True, along="x")
    axes.plot(x, y, "o", color=PLUM, alpha=0.55, markersize=4)
    slope = float(((x - x.mean()) @ (y - y.mean())) / ((x - x.mean()) @ (x - x.mean())))
    ends = np.array([x.min(), x.max()])
    axes.plot(ends, y.mean() + slope * (ends - x.mean()), color=AMBER, linewidth=2.0)
    axes.tick_params(labelsize=9)
    axes.set_title(title, fontsize=10, color=INK, loc="left")


def _lag_in_words(one: ItemHistory, lag: int) -> str:
    if lag == 0:
        return "in the same " + one.cadence.noun
    return f"{one.cadence.length(abs(lag))} {'later' if lag > 0 else 'before'}"
