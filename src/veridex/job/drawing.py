"""Drawing into a directory: a figure per item, the largest items first, and figures by name."""

from collections.abc import Callable, Mapping
from functools import partial
from hashlib import sha256
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from veridex import figures as views
from veridex.core.history.history import History

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from veridex.core.publication.campaigning import Campaign
    from veridex.job.pipeline import Outcome

__all__ = ["draw_campaign", "draw_items", "draw_named", "draw_published", "file_name"]

LONGEST = 60
"""Letters of an item in the name of a file; what is longer is cut."""

MOST_FIGURES = 24
"""Figures of items that a command draws; of two kinds for half as many items."""


def draw_items(directory: Path, history: History, kinds: Mapping[str, Callable[[str], "Figure"]]) -> str:
    """Draw figures of each kind per item, the largest items first, and say how many."""
    with np.errstate(all="ignore"):
        totals = {series.item: float(np.nansum(np.abs(series.values))) for series in history}
    items = sorted(totals, key=lambda item: -totals[item])[: max(MOST_FIGURES // len(kinds), 1)]
    for item in items:
        for kind, figure_of in kinds.items():
            views.save(figure_of(item), directory / f"{file_name(item)}-{kind}.png")
    left = f" (the {len(items)} largest of {len(totals)} items)" if len(totals) > len(items) else ""
    count = len(items) * len(kinds)
    return f"{count} figure{'' if count == 1 else 's'} in {directory}{left}."


def draw_named(directory: Path, figures: Mapping[str, Callable[[], "Figure"]]) -> str:
    """Draw figures by the names of their files, and say which."""
    names = [views.save(figure_of(), directory / f"{name}.png").name for name, figure_of in figures.items()]
    return f"In {directory}: {', '.join(names)}."


def draw_published(found: "Outcome", history: History, directory: Path) -> str:
    """Draw each item's forecast and, where it was tested, the last one over what came; totals; what intervals held."""
    publication, verdict = found.publication, found.verdict
    kinds: dict[str, Callable[[str], Figure]] = {"forecast": lambda one: views.forecast(publication, one)}
    named: dict[str, Callable[[], Figure]] = {}
    if len(history) > 1 and history.measure.adds_up and any(one.available for one in publication.published.values()):
        named["total"] = lambda: views.total(publication)
    if verdict is not None and not verdict.intervals.empty:
        tested = verdict
        kinds["holdout"] = lambda one: views.holdout(tested, one)
        named["coverage"] = lambda: views.coverage(tested)
        if len(history) > 1:
            named["volume"] = lambda: views.volume(tested)
    said = draw_items(directory, history, kinds)
    return f"{said} {draw_named(directory, named)}" if named else said


def draw_campaign(found: "Campaign", directory: Path) -> str:
    """Draw what a campaign added to each item that it touched, the first of many."""
    items = found.publication.items[:MOST_FIGURES]
    return draw_named(directory, {f"{file_name(one)}-campaign": partial(views.campaign, found, one) for one in items})


def file_name(item: str) -> str:
    """An item key that may hold anything, as a file name of its own: what cannot stand in one is told by a digest.

    Examples
    --------
    >>> file_name("smoker-01"), file_name("a/b"), file_name("a:b")
    ('smoker-01', 'a_b-c14cddc0', 'a_b-6783a31e')
    """
    safe = "".join(c if c.isalnum() or c in "-_." else "_" for c in item).lstrip(".")[:LONGEST]
    return (
        safe if safe and safe == item else f"{safe or 'item'}-{sha256(item.encode('utf-8', 'replace')).hexdigest()[:8]}"
    )
