"""The track record: errors by lead time, what intervals held, what each step added, and errors over time."""

from typing import Any, Unpack

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from veridex.core.methods.words import counted
from veridex.core.publication.dossier import BENCHMARK, VERDICT
from veridex.core.publication.record.record import TrackRecord
from veridex.core.readable import number
from veridex.errors import ParameterError
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import AMBER, INK, PLUM, TEAL, bare_axes, date_ticks, number_axis
from veridex.figures.timeline import line_key

__all__ = ["record"]

LOOKS = {BENCHMARK: (TEAL, "s"), VERDICT: (PLUM, "^"), "forecast": (AMBER, "o")}
NAMES = {BENCHMARK: "benchmark", VERDICT: "the choice", "forecast": "published"}


@view
def record(found: TrackRecord, **asked: Unpack[Asked]) -> Figure:
    """Draw what was published against what came.

    Absolute errors in percent of demand by lead time, of the benchmark, of the choice where planners decided otherwise,
    and of what was published; what each level held by lead time; and errors in times those expected, period by period,
    with the period since which they are larger, if one tells.

    Parameters
    ----------
    found : TrackRecord
    **asked
        scale (of errors, in percent), title, ax.

    Raises
    ------
    ParameterError
        If nothing has come.
    """
    if found.cells.empty:
        raise ParameterError("found", repr(found), "nothing has come that could be drawn")
    sheet = Sheet.of(asked, panels=True)
    grid = sheet.figure.add_gridspec(2, 2, height_ratios=(1.15, 1.0), width_ratios=(1.15, 1.0))
    roles = _errors(sheet.figure.add_subplot(grid[0, 0]), found, sheet)
    _held(sheet.figure.add_subplot(grid[0, 1]), found)
    _over_time(sheet.figure.add_subplot(grid[1, :]), found)
    published = counted(len(found.publications), "publication")
    sheet.titled(f"{len(found.cells):,} forecasts in {published} against what came", size=13.0)
    keys = [line_key(NAMES[role], LOOKS[role][0], marker=LOOKS[role][1]) for role in roles]
    keys += [line_key("what an interval promises", INK, dash=":"), line_key("what it held", INK, marker="o")]
    sheet.legend(keys)
    return sheet.whole


def _errors(axes: Axes, found: TrackRecord, sheet: Sheet) -> list[str]:
    """Absolute errors by lead time, in percent of demand; which forecasts are drawn."""
    bare_axes(axes)
    number_axis(axes)
    cells = found.cells
    roles = [BENCHMARK, *([VERDICT] if cells["overridden"].any() else []), "forecast"]
    known = cells[cells[roles].notna().all(axis=1)]
    sizes = known["actual"].abs().groupby(known["step"]).sum()
    drawn: list[Any] = []
    for role in roles:
        errors = (known["actual"] - known[role]).abs().groupby(known["step"]).sum()
        shares = 100.0 * errors / sizes.where(sizes > 0.0)
        axes.plot(shares.index, shares, marker=LOOKS[role][1], color=LOOKS[role][0], linewidth=1.8, markersize=6)
        drawn.append(shares)
    sheet.limits(axes, *drawn, [0.0])
    _whole_ticks(axes, sorted(found.cells["step"].unique()))
    axes.set_title("absolute error, percent of demand, by lead time", fontsize=10, color=INK, loc="left")
    return roles


def _whole_ticks(axes: Axes, steps: list[int]) -> None:
    every = -(-len(steps) // 12)
    axes.set_xticks(steps[::every])
    axes.set_xlim(min(steps) - 0.5, max(steps) + 0.5)
    axes.tick_params(labelsize=9)


def _held(axes: Axes, found: TrackRecord) -> None:
    """What each level held by lead time, against what it promises."""
    bare_axes(axes)
    number_axis(axes)
    table = found.coverage[found.coverage["step"].notna()]
    steps = sorted(found.cells["step"].unique())
    for level in found.levels:
        own = table[table["level"] == level]
        axes.plot(steps, [level] * len(steps), ":", color=INK, linewidth=1.4)
        axes.plot(own["step"].astype(int), own["held"], "o-", color=INK, linewidth=1.4, markersize=5)
        axes.annotate(f"{level:g} %", (steps[-1], level), (6, 3), textcoords="offset points", fontsize=8.5, color=INK)
    lowest = float(np.nanmin([*table["held"], *found.levels, 100.0]))
    axes.set_ylim(max(lowest - 8.0, -3.0), 102.0)
    _whole_ticks(axes, steps)
    axes.set_title("percent of what came inside its interval, by lead time", fontsize=10, color=INK, loc="left")


def _over_time(axes: Axes, found: TrackRecord) -> None:
    """Errors in times those expected, period by period."""
    bare_axes(axes)
    number_axis(axes, small=True)
    known = found.cells[found.cells["_expected"] > 0.0]
    sums = known.assign(size=known["error"].abs()).groupby("period")[["size", "_expected"]].sum()
    title = "absolute errors in times those that were expected"
    if sums.empty:
        axes.axis("off")
        axes.set_title(title, fontsize=10, color=INK, loc="left")
        axes.text(0.5, 0.5, "no error was expected", ha="center", color=INK, transform=axes.transAxes)
        return
    ratios, periods = (sums["size"] / sums["_expected"]).to_numpy(), sums.index.to_numpy()
    axes.plot(periods, ratios, "o-", color=INK, linewidth=1.6, markersize=5)
    axes.axhline(1.0, color=INK, linestyle=":", linewidth=1.2)
    told = found.worsening
    if told.since is not None and told.chance < 5.0:
        first = np.array([told.since], dtype=periods.dtype)[0]
        after = periods >= first
        ends = [periods[0], first], [periods[~after][-1], periods[-1]]
        axes.hlines([told.before, told.after], *ends, PLUM, linewidth=2)
        since = found.history.cadence.text(found.history.cadence.period(told.since))
        title += f": {number(told.before, 3)} before {since}, {number(told.after, 3)} since"
    if not found.history.cadence.counted:
        ticks, labels = date_ticks(periods.astype("datetime64[s]"), 8, "D")
        axes.set_xticks(ticks, labels)
    axes.set_ylim(0.0, 1.12 * max(float(ratios.max()), 1.2))
    axes.set_title(title, fontsize=10, color=INK, loc="left")
