"""What intervals held against the level that they claim."""

from typing import Unpack

import numpy as np
import pandas as pd
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from veridex.core.backtest.trial import Trial
from veridex.core.calibration.held import KINDS
from veridex.core.methods.words import counted
from veridex.core.scoring.levels import level_label
from veridex.core.verdict.verdict import Verdict
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import AMBER, GRID, INK, PAPER, PLUM, TEAL, bare_axes, number_axis
from veridex.figures.timeline import line_key

__all__ = ["coverage"]

LOOKS = {"calibrated": (AMBER, "o"), "model": (TEAL, "s")}
MARKS = ((AMBER, "o"), (TEAL, "s"), (PLUM, "D"), (INK, "^"), (TEAL, "v"), (PLUM, "P"), (AMBER, "X"))
REACH, HALF = 0.62, 0.42
"""How far the kinds of a level spread apart, and half the length of the line at which all should stand."""


@view
def coverage(source: Verdict | Trial, item: str | None = None, **asked: Unpack[Asked]) -> Figure:
    """Draw, for each level, the share of actuals held when tested; of many items also their middle half.

    Of a verdict the intervals of what it chose, made by what was known then: calibrated, and the model's own. Of a
    trial those of each method. A point on its dotted line held what it claims; below it intervals were too narrow.

    Parameters
    ----------
    source : Verdict or Trial
    item : str, optional
        By default all items.
    **asked
        scale (in percent), title, ax.

    Raises
    ------
    ItemUnknown
    """
    sheet = Sheet.of(asked)
    axes = sheet.panel()
    table = _of_verdict(source, item) if isinstance(source, Verdict) else _of_trial(source, item)
    trial = source.trial if isinstance(source, Verdict) else source
    levels, kinds = sorted(trial.levels), list(dict.fromkeys(table["kind"]))
    looks = [LOOKS.get(kind, MARKS[k % len(MARKS)]) for k, kind in enumerate(kinds)]
    for k, level in enumerate(levels):
        axes.plot([k - HALF, k + HALF], [level, level], ":", color=INK, linewidth=1.6)
        for place, kind in enumerate(kinds):
            own = table[(table["kind"] == kind) & (table["level"] == level)]
            if len(own):
                at = k + (place - 0.5 * (len(kinds) - 1)) * min(0.3, REACH / len(kinds))
                _mark(axes, at, own, *looks[place], written=len(kinds) <= 4)
    axes.set_xlim(-0.6, max(len(levels), 1) - 0.4)
    lowest = [float(own["coverage"].quantile(0.25)) for _, own in table.groupby(["kind", "level"])]
    low = max(-3.0, min([*lowest, *levels], default=50.0) - 8.0)
    axes.set_ylim(*((low, 102.0) if sheet.scale is None else sheet.scale))
    axes.set_xticks(range(len(levels)), [f"{level:g} %" for level in levels])
    bare_axes(axes)
    number_axis(axes)
    axes.set_xlabel("level that the interval claims", color=INK)
    axes.set_ylabel("percent of actuals held when tested", color=INK)
    many = table["item"].nunique()
    whose = item if item is not None else counted(many, "item")
    how = "made by what was known then" if isinstance(source, Verdict) else "by the laws of each method"
    sheet.titled(f"{whose}: what intervals held, {how}", axes, size=13.0)
    if not len(table):
        axes.text(0.5, 0.5, "no interval was tested", transform=axes.transAxes, ha="center", color=INK)
    keys: list[Artist] = [
        line_key(kind, look[0], width=0, marker=look[1]) for kind, look in zip(kinds, looks, strict=True)
    ]
    keys.append(line_key("holds what it claims", INK, dash=":"))
    if many > 1:
        keys.append(line_key("middle half of the items", GRID, width=5.0))
    sheet.legend(keys)
    return sheet.whole


def _of_verdict(verdict: Verdict, item: str | None) -> pd.DataFrame:
    """Rows of item, kind, level, coverage and cells."""
    table = verdict.intervals
    if item is not None:
        verdict.choice(item)
        table = table[table["item"] == item]
    table = table[table["coverage"].notna()]
    order = {kind: place for place, kind in enumerate(KINDS)}
    return table.sort_values("kind", key=lambda column: column.map(order), kind="stable")


def _of_trial(trial: Trial, item: str | None) -> pd.DataFrame:
    """The same with methods as kinds, in the order of the standings."""
    scores = trial.common_scores
    if item is not None:
        trial[item]
        scores = scores[scores["item"] == item]
    ranked = list(trial.standings(brief=True)["method"])[: len(MARKS)]
    parts = []
    for level in sorted(trial.levels):
        column = f"coverage_{level_label(level)}"
        part = scores[["item", "method", "n", column]].rename(
            columns={"method": "kind", "n": "cells", column: "coverage"}
        )
        parts.append(part.assign(level=level))
    table = pd.concat(parts) if parts else pd.DataFrame(columns=["item", "kind", "cells", "coverage", "level"])
    table = table[table["coverage"].notna() & table["kind"].isin(ranked)]
    return table.sort_values("kind", key=lambda column: column.map(ranked.index), kind="stable")


def _mark(axes: Axes, at: float, own: pd.DataFrame, color: str, marker: str, *, written: bool) -> None:
    """The share held over all cells, and the middle half of the items."""
    held = float(np.average(own["coverage"], weights=own["cells"]))
    if len(own) > 1:
        low, high = np.quantile(own["coverage"], (0.25, 0.75))
        axes.plot([at, at], [low, high], color=color, linewidth=6, alpha=0.35, solid_capstyle="butt")
    axes.plot(at, held, marker, color=color, markersize=9)
    if written:
        ground = {"facecolor": PAPER, "edgecolor": "none", "pad": 1.0}
        axes.annotate(
            f"{held:.1f}", (at, held), (12, 0), textcoords="offset points", va="center", color=color, bbox=ground
        )
