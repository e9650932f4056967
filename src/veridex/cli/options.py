"""The words that several commands take: enumerations, and options with their help."""

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from veridex.errors import WordIdle

__all__ = [
    "As",
    "Choose",
    "Deterministic",
    "DriverFiles",
    "Duplicates",
    "EngineName",
    "EventsFile",
    "Figures",
    "Foreseen",
    "Foresight",
    "Form",
    "Gaps",
    "Happenings",
    "Horizon",
    "Intervals",
    "KnownAhead",
    "Levels",
    "Methods",
    "Negative",
    "Origins",
    "Outliers",
    "Part",
    "Rule",
    "TidyWords",
    "refuse_idle",
]


class Form(StrEnum):
    """How a table goes to standard output."""

    TABLE = "table"
    CSV = "csv"
    JSON = "json"


class Deterministic(StrEnum):
    """What a series may be stationary around."""

    NONE = "none"
    LEVEL = "level"
    TREND = "trend"


class Choose(StrEnum):
    """How lags are chosen."""

    AIC = "aic"
    BIC = "bic"
    T = "t"


class Duplicates(StrEnum):
    """What several rows of a period become."""

    SUM = "sum"
    MEAN = "mean"
    LAST = "last"
    REFUSE = "refuse"


class Gaps(StrEnum):
    """What unknown demand becomes."""

    UNKNOWN = "unknown"
    ZERO = "zero"
    CARRY = "carry"
    INTERPOLATE = "interpolate"
    SEASONAL = "seasonal"


class Outliers(StrEnum):
    """What is done with outliers."""

    LEAVE = "leave"
    FLAG = "flag"
    REPAIR = "repair"


class Negative(StrEnum):
    """What is done with negative demand."""

    KEEP = "keep"
    ZERO = "zero"
    REFUSE = "refuse"


class Part(StrEnum):
    """Which part of a fit goes to CSV or JSON."""

    COEFFICIENTS = "coefficients"
    FORECAST = "forecast"
    AUDIT = "audit"
    CANDIDATES = "candidates"
    COMPONENTS = "components"
    CONTRIBUTIONS = "contributions"
    MODELS = "models"
    ROOTS = "roots"


class EngineName(StrEnum):
    """Who does the work."""

    AUTO = "auto"
    SERIAL = "serial"
    PROCESSES = "processes"


class Rule(StrEnum):
    """How a verdict is reached."""

    BLEND = "blend"
    SINGLE = "single"


class Intervals(StrEnum):
    """Which bounds are published."""

    MODEL = "model"
    CONFORMAL = "conformal"
    AVERAGE = "average"


class Foresight(StrEnum):
    """Where the future of observed-only drivers comes from."""

    NONE = "none"
    PERFECT = "perfect"


def refuse_idle(because: str, **stated: bool) -> None:
    """Raise `WordIdle` where an option was stated that this call makes nothing of.

    Parameters
    ----------
    because : str
    **stated : bool
        Whether each option was given another value than its default.
    """
    words = tuple(f"--{name.rstrip('_').replace('_', '-')}" for name, given in stated.items() if given)
    if words:
        raise WordIdle(words, because)


As = Annotated[Form, typer.Option("--as", help="How the table goes to standard output.")]
Horizon = Annotated[int, typer.Option(help="Periods to forecast.")]
Origins = Annotated[int, typer.Option(help="Origins to roll over.")]
Methods = Annotated[str | None, typer.Option(help="Methods, separated by commas (default: about a dozen).")]
Levels = Annotated[str, typer.Option(help="Interval levels in percent, separated by commas.")]
Figures = Annotated[Path | None, typer.Option(help="Directory for figures.")]
EventsFile = Annotated[Path | None, typer.Option(help="Table of events; periods inside them are not outlying.")]
DriverFiles = Annotated[str | None, typer.Option(help="Tables of drivers, separated by commas; dates as in FILE.")]
KnownAhead = Annotated[str | None, typer.Option(help="Drivers whose future is known, separated by commas.")]
Happenings = Annotated[Path | None, typer.Option(help="Table of events, for methods that take them.")]
Foreseen = Annotated[Foresight, typer.Option(help="Future of observed-only drivers: forecast, or as recorded.")]
TidyWords = Annotated[str | None, typer.Option(help="Rules to tidy by, e.g. 'gaps=interpolate outliers=repair'.")]
