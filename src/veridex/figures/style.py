"""The house look: palette, axes, number and date labels, saving."""

import textwrap
import warnings
from pathlib import Path
from typing import Any

import matplotlib as mpl
import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter, MaxNLocator
from numpy.typing import NDArray

from veridex.core.history.measure import Measure
from veridex.core.periods.cadence import Cadence
from veridex.core.readable import plain_number

__all__ = [
    "AMBER",
    "BANDS",
    "GRID",
    "INK",
    "PAPER",
    "PLUM",
    "TEAL",
    "bare_axes",
    "hatched",
    "new_figure",
    "padded_limits",
    "save",
    "style_axes",
    "wrapped",
]

INK, AMBER, TEAL, PLUM = "#22313f", "#c9721f", "#1f7a8c", "#7b4b94"
PAPER, GRID = "#fbfaf7", "#dfe3e0"
BANDS = ("#eab981", "#f3d4ae", "#f8e5cf", "#fbf0e3")
"""Amber tints, the narrowest band first: the wider the lighter."""

DPI = 116

FONT = {"family": "DejaVu Sans", "size": 10}  # ships with Matplotlib: the same picture everywhere


def new_figure(width: int = 1280, height: int = 800) -> Figure:
    """A figure of so many pixels on house paper."""
    with mpl.rc_context({"font.family": FONT["family"], "font.size": FONT["size"]}):
        figure = Figure(figsize=(width / DPI, height / DPI), dpi=DPI, facecolor=PAPER, layout="constrained")
    figure.get_layout_engine().set(w_pad=0.12, h_pad=0.12)  # type: ignore[union-attr, call-arg]
    return figure


def bare_axes(axes: Axes, grid: str = "y") -> None:
    """House paper, a grid along one axis, no frame but the line below."""
    axes.set_facecolor(PAPER)
    axes.grid(axis=grid, color=GRID, linewidth=0.8)  # type: ignore[arg-type]
    axes.set_axisbelow(True)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.spines["bottom"].set_color(GRID)
    axes.tick_params(colors=INK, length=0)


def style_axes(axes: Axes, cadence: Cadence, measure: Measure, periods: Any, *, small: bool = False) -> None:
    """Grid, spines, readable numbers, and dates for the periods shown."""
    bare_axes(axes)
    axes.tick_params(labelsize=8 if small else 10)
    axes.yaxis.set_major_formatter(FuncFormatter(lambda value, _: plain_number(value)))
    axes.yaxis.set_major_locator(MaxNLocator(4 if small else 7))
    if not small:
        axes.set_ylabel(measure.label, color=INK)
    most = 4 if small else 10
    if cadence.counted:
        axes.xaxis.set_major_locator(MaxNLocator(most, integer=True))
    else:
        ticks, labels = date_ticks(np.asarray(periods), most)
        axes.set_xticks(ticks, labels)


def date_ticks(periods: NDArray[Any], most: int) -> tuple[NDArray[Any], list[str]]:
    """At most so many round dates inside a span, and their labels: 2024, or Apr 2024, or 8 Apr."""
    first, last = periods.min(), periods.max()
    for unit, step in TICK_STEPS:
        low = first.astype(f"datetime64[{unit}]").astype(int)
        high = last.astype(f"datetime64[{unit}]").astype(int)
        ticks = np.arange(-(-low // step) * step, high + 1, step).astype(f"datetime64[{unit}]")
        ticks = ticks[ticks >= first]
        if unit == "h" and first.astype("datetime64[D]") == first and last.astype("datetime64[D]") == last:
            continue  # whole days have no hours to show
        if 0 < ticks.size <= most:
            return ticks.astype("datetime64[s]"), [_tick_label(tick, unit) for tick in ticks]
    return np.array([first]), [str(first.astype("datetime64[D]"))]


# From fine to coarse; the first that gives few enough ticks is taken.
TICK_STEPS = (
    ("h", 1),
    ("h", 6),
    ("h", 12),
    ("D", 1),
    ("D", 7),
    ("M", 1),
    ("M", 3),
    ("M", 6),
    ("Y", 1),
    ("Y", 2),
    ("Y", 5),
    ("Y", 10),
    ("Y", 50),
    ("Y", 500),
)


def _tick_label(tick: np.datetime64, unit: str) -> str:
    at = tick.astype("datetime64[s]").item()
    return {"Y": f"{at:%Y}", "M": f"{at:%b %Y}", "D": f"{at.day} {at:%b}", "h": f"{at.day} {at:%b %H:%M}"}[unit]


def hatched(axes: Axes, first: Any, last: Any) -> None:
    """Lay the pale hatched ground of a holdout span."""
    axes.axvspan(first, last, facecolor="#f1efe8", edgecolor=GRID, hatch="///", linewidth=0.0, zorder=0)


def wrapped(text: str, width: int) -> str:
    """Break a long title into lines."""
    return "\n".join(textwrap.wrap(text, width))


def padded_limits(*arrays: Any) -> tuple[float, float]:
    """A common scale for panels: from zero where demand is near it, with a little air."""
    values = np.concatenate([np.asarray(array, dtype=float).ravel() for array in arrays])
    values = values[np.isfinite(values)]
    low, high = (float(values.min()), float(values.max())) if values.size else (0.0, 1.0)
    if 0.0 <= low < 0.6 * high:
        low = 0.0
    air = 0.05 * (high - low or abs(high) or 1.0)
    return (low if low == 0.0 else low - air), high + air


def save(figure: Figure, path: Path) -> Path:
    """Write a PNG that is the same bytes every time."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with warnings.catch_warnings():
        # An item key may hold letters that the font lacks; it is drawn with boxes for them.
        warnings.filterwarnings("ignore", message="Glyph .* missing from font", category=UserWarning)
        figure.savefig(path, format="png", metadata={"Software": None})
    return path
