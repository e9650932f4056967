"""What came against what was expected, item by item: a watch, and figures under control."""

from typing import Any, Unpack

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Patch
from scipy.special import ndtri

from veridex.core.arrays import FloatArray
from veridex.core.methods.words import counted
from veridex.core.publication.controlling import LOOK, Control
from veridex.core.publication.watch.happened import AS_EXPECTED
from veridex.core.publication.watch.watch import Watch
from veridex.core.readable import number
from veridex.errors import ParameterError
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import AMBER, BANDS, GRID, INK, PLUM, bare_axes, number_axis
from veridex.figures.timeline import line_key, mark_key

__all__ = ["control", "watch"]

MOST = 16
"""Items that are drawn, the first of the table."""

FURTHEST = 4.2
"""Standard deviations that fit on the sheet: what lies further out stands at the edge, with its number."""

EDGE = 0.9
"""How far along the scale a mark at the edge stands."""


@view
def watch(found: Watch, **asked: Unpack[Asked]) -> Figure:
    """Draw where what came stands in its laws, a row per item, the dearest first, and say what happened.

    Parameters
    ----------
    found : Watch
    **asked
        scale (in standard deviations), title, ax.

    Raises
    ------
    ParameterError
        If nothing has come.
    """
    shown = found.items.head(MOST)
    if shown.empty:
        raise ParameterError("found", repr(found), "nothing has come that could be drawn")
    sheet = Sheet.of(asked)
    axes, far = _rows(sheet, shown["item"]), FURTHEST if sheet.scale is None else max(map(abs, sheet.scale))
    level = float(ndtri(0.5 + found.level / 200.0))
    axes.axvspan(-level, level, color=BANDS[1], linewidth=0, zorder=0)
    axes.axvline(0.0, color=AMBER, linewidth=1.6, zorder=1)
    for row, item in enumerate(shown["item"]):
        own = found.frame[found.frame["item"] == item]
        _periods(axes, row, own, far, found)
    for row, told in enumerate(shown.to_dict("records")):
        _said(axes, row, _in_short(told, found))
    axes.set_xlim(*((-far, far) if sheet.scale is None else sheet.scale))
    axes.set_xlabel("standard deviations of the published law", color=INK)
    header = f"share of {'all cost' if found.priced else 'all error'}, and what happened"
    axes.text(1.01, 1.01, header, transform=axes.transAxes, va="bottom", color=INK, fontsize=8.5)
    sheet.titled(
        f"{counted(len(found.frame), 'actual')} since the publication, the dearest items first", axes, size=13.0
    )
    keys = [
        Patch(color=BANDS[1], label=f"{found.level:g} % interval"),
        line_key("what came, the latest darkest", INK, width=0, marker="o"),
        mark_key("alert", PLUM),
    ]
    sheet.legend(keys)
    return sheet.whole


def _rows(sheet: Sheet, items: "pd.Series[Any]") -> Axes:
    """A panel with a row per item, the first on top."""
    axes = sheet.panel()
    bare_axes(axes, grid="x")
    number_axis(axes, along="x")
    count = len(items)
    axes.set_yticks(range(count), [str(item)[:28] for item in items])
    axes.set_ylim(count - 0.4, -0.6)
    for row in range(count):
        axes.axhline(row, color=GRID, linewidth=0.8, zorder=0)
    return axes


def _periods(axes: Axes, row: int, own: pd.DataFrame, far: float, found: Watch) -> None:
    """A mark per period of an item; rings around alerts, the latest with its date."""
    chance = own["chance"].to_numpy(dtype=np.float64)
    scores = np.sign(own["error"].to_numpy(dtype=np.float64)) * -ndtri(np.clip(chance, 1e-13, 100.0) / 200.0)
    shades = np.linspace(0.25, 1.0, len(own)) if len(own) > 1 else np.ones(1)
    alerts = own["alert"].to_numpy(dtype=bool)
    periods = found.cadence.ordinals(own["period"].to_numpy())
    rings = []
    for score, shade, alert, period in zip(scores, shades, alerts, periods.tolist(), strict=True):
        if np.isnan(score):
            continue
        at, off = _placed(float(score), far)
        axes.plot(at, row, "o", color=INK, alpha=float(shade), markersize=6, zorder=3)
        if alert:
            axes.plot(at, row, "o", color="none", markeredgecolor=PLUM, markeredgewidth=1.8, markersize=12, zorder=4)
            rings.append((at, found.cadence.text(period) + (f" ({number(float(score), 2)})" if off else "")))
    if rings:  # the latest alone has its date: rings lie close together
        at, text = rings[-1]
        text += f", {len(rings) - 1} before" if len(rings) > 1 else ""
        axes.annotate(text, (at, row), (0, 8), textcoords="offset points", ha="center", color=PLUM, fontsize=7.5)


def _placed(value: float, far: float) -> tuple[float, bool]:
    """Where a value is drawn, and whether it lies off the scale."""
    return (float(np.sign(value)) * EDGE * far, True) if abs(value) > EDGE * far else (value, False)


def _said(axes: Axes, row: float, text: str) -> None:
    """What is said of a row, beside it."""
    place = axes.get_yaxis_transform()
    axes.text(1.01, row, text, transform=place, va="center", ha="left", color=INK, fontsize=8.5, clip_on=False)


def _in_short(told: dict[Any, Any], found: Watch) -> str:
    """What happened to an item, and its share of all cost."""
    since = found.cadence.text(found.cadence.period(told["since"])) if told["since"] else ""
    said = [] if told["what"] in ("", AS_EXPECTED) else [f"{told['what']} {since}".strip()]
    said += ["biased"] if told["biased"] else []
    share = "" if np.isnan(told["share"]) else f"{number(told['share'], 2)} %"
    return f"{share}  {', '.join(said)}".rstrip()


@view
def control(found: Control, **asked: Unpack[Asked]) -> Figure:
    """Draw the most unexpected figures of a period against what should have been expected of each.

    Parameters
    ----------
    found : Control
    **asked
        scale (in percent of what was expected), title, ax.

    Raises
    ------
    ParameterError
        If no figure has anything to be held against.
    """
    table = found.frame[(found.frame["verdict"] != "") & (found.frame["expected"] != 0.0)].head(MOST)
    if table.empty:
        raise ParameterError("found", repr(found), "no figure has anything to be held against")
    sheet = Sheet.of(asked)
    axes = _rows(sheet, table["item"])
    size = table["expected"].abs().to_numpy()
    low, high = (100.0 * (table[name] - table["expected"]).to_numpy() / size for name in ("lower", "upper"))
    far = _reach(np.concatenate((low, high)), found.tolerance) if sheet.scale is None else max(map(abs, sheet.scale))
    for row, told in enumerate(table.to_dict("records")):
        ends = np.clip([low[row], high[row]], -far, far)
        axes.barh(row, ends[1] - ends[0], left=ends[0], height=0.62, color=BANDS[1], zorder=1)
        at, off = _placed(float(told["percent"]), far)
        odd = told["verdict"] == LOOK
        axes.plot(at, row, "D" if odd else "o", color=PLUM if odd else INK, markersize=7, zorder=3)
        if off:
            text = f"{number(float(told['percent']), 3)} %"
            side = "right" if at > 0 else "left"
            gap = -9 if at > 0 else 9
            axes.annotate(text, (at, row), (gap, 0), textcoords="offset points", va="center", ha=side, fontsize=8.5)
        _said(axes, row, str(told["cause"]) or str(told["verdict"]))
    axes.axvline(0.0, color=AMBER, linewidth=1.6, zorder=2)
    for limit in (-found.tolerance, found.tolerance):
        axes.axvline(limit, color=INK, linewidth=1.0, linestyle=":", zorder=2)
    axes.set_xlim(*((-far, far) if sheet.scale is None else sheet.scale))
    axes.set_xlabel("percent off what was expected", color=INK)
    sheet.titled(
        f"Figures of {found.period}: {len(found.unexpected)} of {len(found.frame)} to look into", axes, size=13.0
    )
    keys = [
        Patch(color=BANDS[1], label=f"{found.level:g} % of what may come"),
        line_key("expected", AMBER),
        line_key(f"tolerance of {found.tolerance:g} %", INK, dash=":"),
        line_key("as expected, or within tolerance", INK, width=0, marker="o"),
        line_key("to look into", PLUM, width=0, marker="D"),
    ]
    sheet.legend(keys)
    return sheet.whole


def _reach(bounds: FloatArray, tolerance: float) -> float:
    """How far the scale goes: as far as most bands do, and tolerance."""
    sizes = np.abs(bounds[np.isfinite(bounds)])
    return 1.25 * max(float(np.quantile(sizes, 0.9)) if sizes.size else 0.0, 1.5 * tolerance, 1.0)
