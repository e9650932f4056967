"""What can be asked about one series, or about how demand looks."""

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, ClassVar, Literal

from veridex.job.words import Word

__all__ = ["Applying", "Diagnosing", "Fitting", "Looking"]

Texts = tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Diagnosing:
    """How stationarity is tested."""

    TITLE: ClassVar[str] = "Tests"

    lags: Annotated[str | None, Word(help="Lags of all tests, or automatic (default: by rule).")] = None
    deterministic: Annotated[Literal["none", "level", "trend"], Word(help="What it may be stationary around.")] = (
        "level"
    )
    significance: Annotated[float, Word(help="Of all tests, in percent.")] = 5
    choose: Annotated[Literal["aic", "bic", "t"], Word(help="How Dickey and Fuller's lags are chosen.")] = "aic"
    transform: Annotated[
        Literal["none", "log", "box-cox"] | None,
        Word(help="What is tested and drawn are values after it (default: none)."),
    ] = None
    d: Annotated[int | None, Word(help="And after so many differences, 0 to 2 (drawn by default: as advised).")] = None
    D: Annotated[int | None, Word(help="And after so many differences over the season, 0 or 1.", name="seasonal-d")] = (
        None
    )
    correlations: Annotated[int | None, Word(help="Lags of the correlograms (default: two seasons).")] = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Looking:
    """What is looked at."""

    TITLE: ClassVar[str] = "What is shown"

    part: Annotated[
        Literal["history", "seasons", "parts", "years"],
        Word(
            help="Which table is shown; parts: trend, seasons, adjusted series, rest; years: against the season before."
        ),
    ] = "seasons"
    split: Annotated[
        Literal["auto", "additive", "multiplicative"],
        Word(help="Whether parts add up or multiply (default: as advised)."),
    ] = "auto"
    overlay: Annotated[
        Texts,
        Word(help="Laid over the history: periods of a moving average, or a method's one-step fit.", repeated=True),
    ] = ()
    adjusted: Annotated[Path | None, Word(help="CSV file for the parts of all items, with the adjusted series.")] = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Fitting:
    """What is fitted, and which part of it goes into a file."""

    TITLE: ClassVar[str] = "Method"

    method: Annotated[Texts, Word(help="The method, e.g. 'arima p=1 d=1'; several are compared.", repeated=True)]
    part: Annotated[
        Literal[
            "coefficients",
            "fitted",
            "forecast",
            "audit",
            "candidates",
            "components",
            "contributions",
            "models",
            "roots",
        ],
        Word(help="Which part goes out with --as csv or json; fitted: each period with its bounds and percent error."),
    ] = "coefficients"


@dataclass(frozen=True, slots=True, kw_only=True)
class Applying:
    """Which fitted method is carried over to a newer history."""

    TITLE: ClassVar[str] = "Method"

    model: Annotated[Path, Word(help="A fitted method that `fit --to` has written.", positional=True)]
    part: Annotated[
        Literal["forecast", "fitted", "coefficients", "audit"], Word(help="Which part goes out with --as csv or json.")
    ] = "forecast"
