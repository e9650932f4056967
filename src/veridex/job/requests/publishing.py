"""What can be said of what is decided and published."""

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, ClassVar, Literal

from veridex.errors import ParameterError
from veridex.job.words import Word

__all__ = ["Deciding", "Overrule", "Publishing"]

Texts = tuple[str, ...]
Numbers = tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Overrule:
    """A planner's own choice for an item, and why."""

    item: str
    method: str
    reason: str

    @classmethod
    def of(cls, text: str) -> "Overrule":
        """What ``ITEM: METHOD: REASON`` says.

        Raises
        ------
        ParameterError
            If it does not say all three.
        """
        parts = [part.strip() for part in text.split(":", 2)]
        if len(parts) < 3 or not all(parts):
            raise ParameterError("override", repr(text), "write 'ITEM: METHOD: REASON'")
        return cls(*parts)


@dataclass(frozen=True, slots=True, kw_only=True)
class Deciding:
    """How a trial decides."""

    TITLE: ClassVar[str] = "Decision"

    rule: Annotated[Literal["blend", "single"], Word(help="How the trial decides.")] = "blend"
    keep: Annotated[
        Literal["no", "until worse"],
        Word(help="until worse: an item keeps what was published last time, unless something else was clearly better."),
    ] = "no"
    override: Annotated[
        tuple[Overrule, ...],
        Word(help="'ITEM: METHOD: REASON': your own choice for an item.", repeated=True, read=Overrule.of),
    ] = ()
    allowed: Annotated[Texts, Word(help="Methods that may win, separated by commas.")] = ()
    target: Annotated[str | None, Word(help="What is demanded, e.g. 'wape under 15'.")] = None
    lead_times: Annotated[tuple[int, ...], Word(help="Lead times whose errors count, e.g. 1,2,3.")] = ()
    bias_limit: Annotated[float | None, Word(help="Leave out methods whose bias is larger, in percent of demand.")] = (
        None
    )
    coverage_floor: Annotated[
        Numbers, Word(help="A level and the percent that its intervals must have held, e.g. 95,90.")
    ] = ()
    simplest: Annotated[
        bool, Word(help="Of single methods within one standard error of the best, take the simplest.")
    ] = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Publishing:
    """What is published, and from what."""

    TITLE: ClassVar[str] = "Publication"

    method: Annotated[Texts, Word(help="Your own choice for all items, without a backtest.", repeated=True)] = ()
    trial: Annotated[str | None, Word(help="A trial that `backtest --to` has written.", name="from", planned="")] = None
    again: Annotated[
        str | None,
        Word(
            help="Make this publication again and say whether it is the same to the last bit (else exit code 3).",
            planned="",
        ),
    ] = None
    horizon: Annotated[str, Word(help="Periods to forecast, or the last one, e.g. 2026-12.")] = "12"
    levels: Annotated[Numbers, Word(help="Interval levels in percent, separated by commas.")] = (80, 95)
    intervals: Annotated[
        Literal["model", "calibrated"] | None,
        Word(help="Which bounds (default: calibrated where there is a backtest)."),
    ] = None
    quantiles: Annotated[Numbers, Word(help="One-sided, in percent, separated by commas.")] = ()
    totals_from: Annotated[
        int, Word(help="Lead time that totals begin with, e.g. 3 for a delivery in two periods.")
    ] = 1
    groups: Annotated[Texts, Word(help="Totals too: all, or key columns, separated by commas.")] = ()
    past: Annotated[str, Word(help="Periods of history in the table, or all.")] = "all"
    board: Annotated[
        Path | None, Word(help="Also the page to hand round, a file ending in .html (see `veridex board`).", place=True)
    ] = None
    part: Annotated[
        Literal["forecasts", "models", "totals"],
        Word(help="Which part is shown; models: a row per item, what was fitted.", planned=""),
    ] = "forecasts"
