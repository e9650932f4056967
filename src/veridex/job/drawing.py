"""Drawing: a figure per item, the largest items first, and how many there are."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from matplotlib.figure import Figure

from veridex.core.history.history import History
from veridex.figures.style import save

__all__ = ["draw_items", "file_name"]

MOST_FIGURES = 24


def draw_items(directory: Path, history: History, kind: str, figure_of: Callable[[str], Figure]) -> str:
    """Draw a figure per item, the largest items first, and say how many."""
    totals = {series.item: float(np.nansum(series.values)) for series in history}
    items = sorted(totals, key=lambda item: -totals[item])[:MOST_FIGURES]
    for item in items:
        save(figure_of(item), directory / f"{file_name(item)}-{kind}.png")
    left = f" (the {MOST_FIGURES} largest of {len(totals)} items)" if len(totals) > len(items) else ""
    return f"{len(items)} figures in {directory}{left}."


def file_name(item: str) -> str:
    """An item key that may hold anything, as a file name."""
    return "".join(c if c.isalnum() or c in "-_." else "_" for c in item).lstrip(".") or "item"
