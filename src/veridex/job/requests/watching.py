"""What can be said of holding what was published, or expected, against what came."""

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, ClassVar, Literal

from veridex.job.words import Word

__all__ = ["Campaigning", "Controlling", "Published", "Tracking", "Watching"]

Texts = tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Published:
    """What was published."""

    TITLE: ClassVar[str] = "Publication"

    publication: Annotated[
        str, Word(help="Where a publication is: a directory, a workbook, a database's address.", positional=True)
    ]


@dataclass(frozen=True, slots=True, kw_only=True)
class Watching:
    """When what came is an alert."""

    TITLE: ClassVar[str] = "Watch"

    level: Annotated[
        float | None,
        Word(help="Interval level in percent: an actual outside is an alert (default: the widest)."),
    ] = None
    tolerance: Annotated[
        float | None,
        Word(help="Percent of the forecast that was agreed: beyond it is an alert, whatever the level."),
    ] = None
    false_alerts: Annotated[
        float | None,
        Word(help="How many alerts a period chance may bring over all items, in place of a tolerance."),
    ] = None
    prices: Annotated[
        Path | None,
        Word(help="Table of what a unit is worth: item, price. Errors are ranked by what they cost.", place=True),
    ] = None
    part: Annotated[
        Literal["page", "items", "alerts", "periods", "totals", "groups", "corrections"],
        Word(help="Which table is shown; the page has the most important of them.", planned=""),
    ] = "page"


@dataclass(frozen=True, slots=True, kw_only=True)
class Controlling:
    """Which figures are held against what should have been expected."""

    TITLE: ClassVar[str] = "Control"

    at: Annotated[str, Word(help="The period whose figures are controlled, e.g. 2024-Q3.", planned="")]
    tolerance: Annotated[float, Word(help="Percent of what was expected, up to which nobody asks.", planned="")] = 10.0
    level: Annotated[
        float, Word(help="Level of the band in percent; of figures that are right the rest lies outside.", planned="")
    ] = 95.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Campaigning:
    """Which span is held against what would have come."""

    TITLE: ClassVar[str] = "Campaign"

    begins: Annotated[str, Word(help="The first period of the campaign, e.g. 2025-03.")]
    ends: Annotated[str | None, Word(help="Its last period (default: the last of the history).")] = None
    touched: Annotated[Texts, Word(help="Items that it touched (default: all but the controls).")] = ()
    controls: Annotated[Texts, Word(help="Items that it did not touch, whose demand tells what would have come.")] = ()
    level: Annotated[float, Word(help="Level of the intervals in percent.")] = 95.0
    part: Annotated[
        Literal["page", "totals", "periods", "before", "placebo"],
        Word(help="Which table is shown; placebo: earlier spans of the same length."),
    ] = "page"


@dataclass(frozen=True, slots=True, kw_only=True)
class Tracking:
    """Which publications are held against what came, and what is shown of it."""

    TITLE: ClassVar[str] = "Record"

    publications: Annotated[
        str,
        Word(
            help="Where publications are: a directory of them, or a database's address, of which all are read.",
            positional=True,
        ),
    ]
    also: Annotated[Texts, Word(help="Another place of publications.", repeated=True)] = ()
    by: Annotated[Texts, Word(help="Errors by step, method, route, item, publication, period, or key columns.")] = (
        "step",
    )
    part: Annotated[
        Literal["page", "scores", "errors", "coverage", "added", "overrides", "changes", "worse"],
        Word(help="Which table is shown; the page has the most important of them."),
    ] = "page"
