"""What can be said of a backtest, and asked of what it brought."""

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, ClassVar, Literal

from veridex.engines.names import engine_word
from veridex.job.words import Word

__all__ = ["Scoring", "Testing", "Tuning"]

Texts = tuple[str, ...]
Numbers = tuple[float, ...]

PACE = "How the backtest works"


@dataclass(frozen=True, slots=True, kw_only=True)
class Testing:
    """How methods are tested."""

    TITLE: ClassVar[str] = "Backtest"

    methods: Annotated[Texts, Word(help="Methods, separated by commas (default: about a dozen).")] = ()
    scheme: Annotated[
        str | None,
        Word(
            help="'rolling horizon=12 origins=24', 'holdout last=12', 'holdout since=2025-01'; the words below "
            "change parts of it."
        ),
    ] = None
    horizon: Annotated[int | None, Word(help="Periods to forecast (default: 12).")] = None
    origins: Annotated[int | None, Word(help="Origins to roll over (default: two seasons of them).")] = None
    stride: Annotated[int | None, Word(help="Periods from one origin to the next (default: by season).")] = None
    window: Annotated[int | None, Word(help="Fit on so many periods only (sliding).")] = None
    first: Annotated[str | None, Word(help="The first origin; the others follow it.")] = None
    gap: Annotated[int | None, Word(help="Periods between an origin and the first one tested.")] = None
    levels: Annotated[Numbers, Word(help="Interval levels in percent, separated by commas.")] = (80, 95)
    search_every: Annotated[int, Word(help="Search forms and orders anew at every so many origins.", group=PACE)] = 12
    refit_every: Annotated[int, Word(help="Estimate coefficients anew at every so many origins.", group=PACE)] = 1
    engine: Annotated[
        str,
        Word(
            help="Who does the work: serial, processes, dask, dask://scheduler:8786 (auto: all cores for many items).",
            group=PACE,
            checked=engine_word,
        ),
    ] = "auto"
    checkpoint: Annotated[
        Path | None, Word(help="Directory that lets a killed backtest resume.", group=PACE, planned="")
    ] = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Tuning:
    """Which settings are tried."""

    TITLE: ClassVar[str] = "Settings"

    method: Annotated[str, Word(help="The method whose settings are tried.")]
    grid: Annotated[
        Texts, Word(help="A setting and its values, as in window=2,3,4; several are crossed.", repeated=True)
    ]
    measure: Annotated[str, Word(help="mae, mse, rmse, mape, smape, wape, mase or rmsse.")] = "mae"


@dataclass(frozen=True, slots=True, kw_only=True)
class Scoring:
    """What is shown of a trial."""

    TITLE: ClassVar[str] = "What is shown"

    part: Annotated[
        Literal["standings", "scores", "errors", "folds", "models"],
        Word(help="Which part is shown; errors: a row per forecast with its actual, bounds, percent error."),
    ] = "standings"
    measure: Annotated[str, Word(help="What the standings rank by: mase, rmse, mape, wape, pinball_95 …")] = "mase"
    by: Annotated[Texts, Word(help="Scores by these: method,step or item,method or phase …")] = ()
    scope: Annotated[
        Literal["holdout", "training", "pooled", "both"],
        Word(help="Scores of forecasts, of the training spans, of the two pooled, or all three."),
    ] = "holdout"
    show_lineup: Annotated[bool, Word(help="Print the methods that would be entered.")] = False
