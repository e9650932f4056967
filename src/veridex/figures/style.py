"""The house look: palette, paper, numbers and dates on axes, and files that are the same bytes every time."""

import textwrap
import warnings
from pathlib import Path
from typing import Any

import matplotlib as mpl
import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure, SubFigure
from matplotlib.ticker import FuncFormatter, MaxNLocator
from numpy.typing import NDArray

from veridex.core.readable import tick_number
from veridex.errors import DestinationRefused
from veridex.palette import AMBER, BANDS, GRID, GROUND, INK, PAPER, PLUM, TEAL, TEALS
from veridex.staged import replace_file

__all__ = [
    "AMBER",
    "BANDS",
    "DPI",
    "GRID",
    "GROUND",
    "HOUSE",
    "INK",
    "PAPER",
    "PLUM",
    "TEAL",
    "TEALS",
    "TITLE_LINES",
    "band_color",
    "bare_axes",
    "date_ticks",
    "number_axis",
    "padded",
    "save",
    "wrapped",
]

DPI = 116

MOST_LINES, TITLE_LINES = 8, 5
"""Lines of a text, and of a title: an item's key may be as long as a page."""

HOUSE: dict[Any, Any] = {
    "font.family": "DejaVu Sans",  # ships with Matplotlib: the same picture everywhere
    "font.size": 10,
    "text.color": INK,
    "axes.labelcolor": INK,
    "axes.unicode_minus": True,
    "text.parse_math": False,  # an item may be called anything, dollar signs too
    "svg.hashsalt": "veridex",
    "axes.xmargin": 0.04,
}
"""A view is drawn under these settings, whatever those of the caller are."""

FORMATS = {".png": {"Software": None}, ".svg": {"Date": None, "Creator": None}, ".pdf": {"CreationDate": None}}
"""What a figure can be saved as, and what is left out so that the same figure is the same bytes."""


def band_color(place: int, tints: tuple[str, ...] = BANDS) -> str:
    """The tint of a band by its place, the narrowest first."""
    return tints[min(place, len(tints) - 1)]


def bare_axes(axes: Axes, grid: str = "y") -> None:
    """House paper, a grid along one axis, no frame but the line below."""
    axes.set_facecolor(PAPER)
    axes.grid(axis=grid, color=GRID, linewidth=0.8)  # type: ignore[arg-type]
    axes.set_axisbelow(True)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.spines["bottom"].set_color(GRID)
    axes.tick_params(colors=INK, length=0)


def number_axis(axes: Axes, *, small: bool = False, along: str = "y") -> None:
    """Readable numbers along one axis, few on a small panel."""
    axis = axes.yaxis if along == "y" else axes.xaxis
    axis.set_major_formatter(
        FuncFormatter(lambda value, _: tick_number(value, max(map(abs, axis.get_view_interval()))))
    )
    axis.set_major_locator(MaxNLocator(4 if small else 7))


def date_ticks(periods: NDArray[Any], most: int, finest: str = "h") -> tuple[NDArray[Any], list[str]]:
    """At most so many round dates inside a span, and their labels: 2024, or Apr 2024, or 8 Apr.

    None finer than `finest`: ``h``, ``D``, ``M`` or ``Y``.
    """
    first, last = periods.min(), periods.max()
    for unit, step in TICK_STEPS:
        if UNITS.index(unit) < UNITS.index(finest):
            continue
        low = first.astype(f"datetime64[{unit}]").astype(int)
        high = last.astype(f"datetime64[{unit}]").astype(int)
        ticks = np.arange(-(-low // step) * step, high + 1, step).astype(f"datetime64[{unit}]")
        ticks = ticks[ticks >= first]
        if unit == "h" and first.astype("datetime64[D]") == first and last.astype("datetime64[D]") == last:
            continue  # whole days have no hours to show
        if 0 < ticks.size <= most:
            years = unit == "D" and ticks[0].astype("datetime64[Y]") != ticks[-1].astype("datetime64[Y]")
            return ticks.astype("datetime64[s]"), [_tick_label(tick, unit, years=years) for tick in ticks]
    return np.array([first]), [str(first.astype("datetime64[D]"))]


UNITS = ("h", "D", "M", "Y")

# From fine to coarse; the first that gives few enough ticks is taken.
TICK_STEPS = (
    ("h", 1),
    ("h", 6),
    ("h", 12),
    ("D", 1),
    ("D", 7),
    ("D", 14),
    ("M", 1),
    ("M", 2),
    ("M", 3),
    ("M", 6),
    ("Y", 1),
    ("Y", 2),
    ("Y", 5),
    ("Y", 10),
    ("Y", 50),
    ("Y", 500),
)


def _tick_label(tick: np.datetime64, unit: str, *, years: bool) -> str:
    at = tick.astype("datetime64[s]").item()
    day = f"{at.day} {at:%b}"
    return {"Y": f"{at:%Y}", "M": f"{at:%b %Y}", "D": f"{day} {at:%Y}" if years else day, "h": f"{day} {at:%H:%M}"}[
        unit
    ]


def wrapped(text: str, width: int, most: int = MOST_LINES) -> str:
    """Break a long text into lines, long words too; what takes more than a few is cut, and that is seen."""
    lines = textwrap.wrap(text, max(width, 8))
    if len(lines) > most:
        lines = [*lines[: most - 2], "…", lines[-1]]
    return "\n".join(lines)


def padded(*arrays: Any) -> tuple[float, float]:
    """Limits that hold all values with a little air, from zero where demand is near it; never of no width."""
    values = np.concatenate([np.asarray(array, dtype=float).ravel() for array in arrays])
    values = values[np.isfinite(values)]
    low, high = (float(values.min()), float(values.max())) if values.size else (0.0, 1.0)
    if 0.0 <= low < 0.6 * high or low == high > 0.0:
        low = 0.0
    air = 0.06 * (high - low or abs(high) or 1.0)
    return (low if low == 0.0 else low - air), high + air


def save(figure: Figure | SubFigure, path: str | Path) -> Path:
    """Write a figure as PNG, SVG or PDF, by the ending of the file: the same bytes every time.

    Raises
    ------
    DestinationRefused
        If the ending is another one, or the file cannot be written.
    """
    target = Path(path)
    kind = target.suffix.lower()
    if kind not in FORMATS:
        raise DestinationRefused(
            str(path), f"a figure is no {kind or 'file without an ending'}", "Use .png, .svg, .pdf."
        )
    whole = figure.figure if isinstance(figure, SubFigure) else figure

    def draw(stage: Path) -> None:
        with warnings.catch_warnings(), mpl.rc_context({"svg.hashsalt": HOUSE["svg.hashsalt"]}):
            # An item key may hold letters that the font lacks; it is drawn with boxes for them.
            warnings.filterwarnings("ignore", message="Glyph .* missing from font", category=UserWarning)
            whole.savefig(stage, format=kind[1:], metadata=FORMATS[kind])

    return replace_file(target, draw)
