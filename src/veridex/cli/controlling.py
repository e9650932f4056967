"""What `control` shows: the figures to look into, and why."""

import typer

from veridex import figures as views
from veridex.cli.desk import ALERTS, desk_for
from veridex.cli.tables import paragraph, show
from veridex.core.publication.controlling import Control
from veridex.job.control import control_figures
from veridex.job.drawing import draw_named
from veridex.job.reading import brought
from veridex.job.requests import Controlling, Driving, Happening, Placing, Reading, Ruling, Testing

__all__ = ["run_control"]

MOST = 12
"""Figures that people see where nothing, or little, is wrong; files get all."""

HIDDEN = ("period", "difference", "instead", "other_causes", "reason")


def run_control(
    reading: Reading,
    controlling: Controlling,
    testing: Testing,
    driving: Driving,
    happening: Happening,
    ruling: Ruling,
    placing: Placing,
) -> int:
    """Hold the figures of a period against what came before it, and say which to look into."""
    desk = desk_for(placing)
    history, told = brought(reading, ruling, driving, happening, desk)
    found = control_figures(history, controlling, testing, told, desk)
    if placing.figures is not None:
        desk.say(draw_named(placing.figures, {"control": lambda: views.control(found)}))
    show_control(found, placing)
    return 0 if found.unexpected.empty else ALERTS


def show_control(found: Control, placing: Placing) -> None:
    """The most unexpected figures with their causes; then each of those to look into in words."""
    if placing.form != "table":
        show(found.frame, placing, title="")
        return
    count = max(len(found.unexpected), min(len(found.frame), MOST))
    shown = found.frame.head(count).round({"percent": 1, "chance": 1})
    title = f"Figures of {found.period}: {count} of {len(found.frame)}"
    show(shown, placing, title=title, hide=HIDDEN, caption=found.in_words(), cadence=found.publication.cadence)
    for item in found.unexpected["item"].head(MOST):
        typer.echo(paragraph(found.why(item)))
