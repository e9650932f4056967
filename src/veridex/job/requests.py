"""What can be asked of the job: each request a frozen value whose fields carry their help.

The options of the command line are derived from them. Fields hold what was said in words; the job turns words into
values. Lists are tuples here and separated by commas on the command line; several of a list of texts may be stated.
"""

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Literal

from veridex.job.words import Word, split_names

__all__ = [
    "Deciding",
    "Diagnosing",
    "Explaining",
    "Fitting",
    "Happening",
    "Looking",
    "Publishing",
    "Reading",
    "Ruling",
    "Scoring",
    "Telling",
    "Testing",
    "Tidying",
    "Tuning",
]

Texts = tuple[str, ...]
Numbers = tuple[float, ...]
Form = Literal["table", "csv", "json"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """FILE and what is said about it."""

    file: Annotated[
        str,
        Word("CSV, Parquet, Excel, a database address (sqlite:///shop.db), or - for standard input.", positional=True),
    ]
    item: Annotated[
        str | None, Word("Column of the item keys (several: a,b); COLUMN=KEY keeps one item, e.g. sku=smoker-01.")
    ] = None
    period: Annotated[Texts, Word("Column of the dates; year,month for two columns (default: period).")] = ()
    demand: Annotated[str | None, Word("Column of the quantities (default: demand).")] = None
    cadence: Annotated[
        str | None, Word("yearly, quarterly, monthly, weekly, workday, daily, hourly, '10 minutes', counted …")
    ] = None
    start: Annotated[str | None, Word("First period of a bare column of numbers, e.g. 2019-01.")] = None
    name: Annotated[str | None, Word("What a single series is called.")] = None
    unit: Annotated[str | None, Word("Unit of demand, for titles and axes.")] = None
    adds: Annotated[
        Literal["sum", "mean"] | None, Word("Whether demand adds up over time and items, or averages (prices).")
    ] = None
    floor: Annotated[str | None, Word("What demand never is below: 0, or none (default: as its values show).")] = None
    whole: Annotated[
        Literal["yes", "no"] | None, Word("Whether demand is counted in whole numbers (default: as its values show).")
    ] = None
    seasons: Annotated[
        Numbers, Word("Periods after which demand repeats itself, e.g. 7,365.25 (default: looked for); 1 for none.")
    ] = ()
    layout: Annotated[Literal["long", "wide"], Word("Rows per item and period, or a column per item.")] = "long"
    items: Annotated[Texts, Word("Columns to keep in the wide layout, separated by commas.")] = ()
    dates: Annotated[
        Literal["day-first", "month-first"] | None, Word("How 03/04/2024 is read where the column does not tell.")
    ] = None
    tz: Annotated[str | None, Word("Whose days are meant where stamps carry a zone, e.g. Europe/London.")] = None
    fiscal_start: Annotated[str | None, Word("First month of the year where it is not January, e.g. april.")] = None
    fiscal_named: Annotated[Literal["end", "start"], Word("Calendar year a fiscal year is called by.")] = "end"
    decimal: Annotated[str | None, Word("Decimal mark where the column does not tell: . or ,")] = None
    status: Annotated[str | None, Word("Column that marks rows as invalid; they are left out.")] = None
    invalid: Annotated[Texts, Word("What marks them, separated by commas (default: cancelled, void, no …).")] = ()
    stock_out: Annotated[str | None, Word("Column that says yes where there was nothing to sell.")] = None
    in_stock: Annotated[str | None, Word("Column of the share of the period, 0 to 1, in which there was stock.")] = None
    successors: Annotated[
        str | None, Word("Table of items that replace others: item, replaces, and perhaps factor.")
    ] = None
    combine: Annotated[
        Literal["sum", "mean", "last", "count", "max"], Word("How several rows of a period become its demand.")
    ] = "sum"
    absent: Annotated[Literal["zero", "unknown"] | None, Word("What a period without a row means.")] = None
    keep_unfinished: Annotated[bool, Word("Keep an unfinished last period.")] = False
    since: Annotated[str | None, Word("First period to keep.")] = None
    until: Annotated[str | None, Word("Last period to keep; 'last complete month' with --as-of.")] = None
    last: Annotated[str | None, Word("Keep so many last periods, or a span such as '2 years'.")] = None
    as_of: Annotated[str | None, Word("The instant that 'last complete' is told from; now asks the clock.")] = None
    notes: Annotated[Literal["own", "all"], Word("Of one item: its own notes, or those of all items.")] = "own"
    table: Annotated[str | None, Word("Table of a database.")] = None
    query: Annotated[str | None, Word("Query to ask a database.")] = None
    sheet: Annotated[str | None, Word("Sheet of a workbook.")] = None
    delimiter: Annotated[str | None, Word("Mark between the columns of a CSV file (default: found out).")] = None
    encoding: Annotated[str | None, Word("Encoding of a CSV file (default: found out).")] = None

    @property
    def key(self) -> str | None:
        """The one item that is asked for; None for all."""
        return (self.item or "").partition("=")[2] or None

    @property
    def key_columns(self) -> Texts:
        """The columns of the item keys."""
        columns = (self.item or "").partition("=")[0]
        return split_names(columns)


@dataclass(frozen=True, slots=True, kw_only=True)
class Tidying:
    """By which rules a history is repaired."""

    gaps: Annotated[
        Literal["unknown", "zero", "carry", "interpolate", "seasonal"], Word("What unknown demand becomes.")
    ] = "unknown"
    duplicates: Annotated[
        Literal["sum", "mean", "last", "refuse"], Word("What several rows of a period become in a table.")
    ] = "sum"
    outliers: Annotated[Literal["leave", "flag", "repair"], Word("What is done with outliers.")] = "flag"
    unfinished: Annotated[str, Word("drop or keep a last period, or how many to drop.")] = "drop"
    per_working_day: Annotated[
        str | None,
        Word("Demand per working day of a country or region, as a measure of its own; none for weekends alone."),
    ] = None
    negative: Annotated[Literal["keep", "zero", "refuse"], Word("What is done with negative demand.")] = "keep"


@dataclass(frozen=True, slots=True, kw_only=True)
class Ruling:
    """Whether a history is tidied on the way, in one word."""

    tidy: Annotated[str | None, Word("Rules to tidy by, e.g. 'gaps=interpolate outliers=repair'.")] = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Happening:
    """Events that excuse outliers."""

    events: Annotated[Path | None, Word("Table of events; periods inside them are not outlying.")] = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Explaining:
    """What may explain demand."""

    drivers: Annotated[
        Texts, Word("Tables of drivers, or columns of FILE, separated by commas; weather.csv:temp,hum for some of one.")
    ] = ()
    known_ahead: Annotated[Texts, Word("Drivers whose future is known, separated by commas.")] = ()
    events: Annotated[Path | None, Word("Table of events, for methods that take them.")] = None
    holidays: Annotated[Texts, Word("Public holidays as events, by country or region: GB-ENG, DE-BY.")] = ()
    working_days: Annotated[
        Texts, Word("Working days of each period as a driver, by country or region; none for weekends alone.")
    ] = ()
    tidy_drivers: Annotated[str | None, Word("Rules for drivers, e.g. 'gaps=interpolate outliers=repair'.")] = None
    foresight: Annotated[
        Literal["none", "perfect"], Word("Future of observed-only drivers: forecast, or as recorded.")
    ] = "none"


@dataclass(frozen=True, slots=True, kw_only=True)
class Diagnosing:
    """How stationarity is tested."""

    lags: Annotated[str | None, Word("Lags of all tests, or automatic (default: by rule).")] = None
    deterministic: Annotated[Literal["none", "level", "trend"], Word("What it may be stationary around.")] = "level"
    significance: Annotated[float, Word("Of all tests, in percent.")] = 5
    choose: Annotated[Literal["aic", "bic", "t"], Word("How Dickey and Fuller's lags are chosen.")] = "aic"
    transform: Annotated[
        Literal["none", "log", "box-cox"] | None, Word("What is tested and drawn are values after it (default: none).")
    ] = None
    d: Annotated[int | None, Word("And after so many differences, 0 to 2 (drawn by default: as advised).")] = None
    D: Annotated[int | None, Word("And after so many differences over the season, 0 or 1.", "seasonal-d")] = None
    correlations: Annotated[int | None, Word("Lags of the correlograms (default: two seasons).")] = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Looking:
    """What is looked at."""

    part: Annotated[
        Literal["history", "seasons", "parts", "years"],
        Word("Which table is shown; parts: trend, seasons, adjusted series, rest; years: against the season before."),
    ] = "seasons"
    split: Annotated[
        Literal["auto", "additive", "multiplicative"], Word("Whether parts add up or multiply (default: as advised).")
    ] = "auto"
    overlay: Annotated[
        list[str] | None, Word("Laid over the history: periods of a moving average, or a method's one-step fit.")
    ] = None
    adjusted: Annotated[Path | None, Word("CSV file for the parts of all items, with the adjusted series.")] = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Fitting:
    """What is fitted, and which part of it goes into a file."""

    method: Annotated[list[str], Word("The method, e.g. 'arima p=1 d=1'; several are compared.")]
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
        Word("Which part goes out with --as csv or json; fitted: each period with its bounds and percent error."),
    ] = "coefficients"


@dataclass(frozen=True, slots=True, kw_only=True)
class Testing:
    """How methods are tested."""

    methods: Annotated[Texts, Word("Methods, separated by commas (default: about a dozen).")] = ()
    horizon: Annotated[int, Word("Periods to forecast.")] = 12
    origins: Annotated[int | None, Word("Origins to roll over (default: two seasons of them).")] = None
    stride: Annotated[int | None, Word("Periods from one origin to the next (default: by season).")] = None
    window: Annotated[int | None, Word("Fit on so many periods only (sliding).")] = None
    first: Annotated[str | None, Word("The first origin; the others follow it.")] = None
    gap: Annotated[int, Word("Periods between an origin and the first one tested.")] = 0
    levels: Annotated[Numbers, Word("Interval levels in percent, separated by commas.")] = (80, 95)
    engine: Annotated[
        Literal["auto", "serial", "processes"], Word("Who does the work (auto: all cores for many items).")
    ] = "auto"
    checkpoint: Annotated[Path | None, Word("Directory that lets a killed backtest resume.")] = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Tuning:
    """Which settings are tried."""

    method: Annotated[str, Word("The method whose settings are tried.")]
    grid: Annotated[list[str], Word("A setting and its values, as in window=2,3,4; several are crossed.")]
    measure: Annotated[str, Word("mae, mse, rmse, mape, smape, wape, mase or rmsse.")] = "mae"


@dataclass(frozen=True, slots=True, kw_only=True)
class Deciding:
    """How a trial decides."""

    rule: Annotated[Literal["blend", "single"], Word("How the trial decides.")] = "blend"
    allowed: Annotated[Texts, Word("Methods that may win, separated by commas.")] = ()
    target: Annotated[str | None, Word("What is demanded, e.g. 'wape under 15'.")] = None
    override: Annotated[list[str] | None, Word("'ITEM: METHOD: REASON': your own choice for an item.")] = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Publishing:
    """What is published, and from what."""

    method: Annotated[list[str] | None, Word("Your own choice for all items, without a backtest.")] = None
    trial: Annotated[Path | None, Word("A trial that `backtest --to` has written.", "from")] = None
    horizon: Annotated[str, Word("Periods to forecast, or the last one, e.g. 2026-12.")] = "12"
    levels: Annotated[Numbers, Word("Interval levels in percent, separated by commas.")] = (80, 95)
    intervals: Annotated[
        Literal["model", "calibrated"] | None, Word("Which bounds (default: calibrated where there is a backtest).")
    ] = None
    quantiles: Annotated[Numbers, Word("One-sided, in percent, separated by commas.")] = ()
    totals_from: Annotated[int, Word("Lead time that totals begin with, e.g. 3 for a delivery in two periods.")] = 1
    groups: Annotated[Texts, Word("Totals too: all, or key columns, separated by commas.")] = ()
    past: Annotated[str, Word("Periods of history in the table, or all.")] = "all"
    part: Annotated[
        Literal["forecasts", "models", "totals"], Word("Which part is shown; models: a row per item, what was fitted.")
    ] = "forecasts"


@dataclass(frozen=True, slots=True, kw_only=True)
class Scoring:
    """What is shown of a trial."""

    part: Annotated[
        Literal["standings", "scores", "errors", "folds", "models"],
        Word("Which part is shown; errors: a row per forecast with its actual, bounds, percent error."),
    ] = "standings"
    measure: Annotated[str, Word("What the standings rank by: mase, rmse, mape, wape, pinball_95 …")] = "mase"
    by: Annotated[Texts, Word("Scores by these: method,step or item,method or phase …")] = ()
    scope: Annotated[
        Literal["holdout", "training", "pooled", "both"],
        Word("Scores of forecasts, of the training spans, of the two pooled, or all three."),
    ] = "holdout"
    show_lineup: Annotated[bool, Word("Print the methods that would be entered.")] = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Telling:
    """Where results go."""

    to: Annotated[
        Path | None, Word("Where to keep the result: a directory; for a trial a file ending in .parquet.")
    ] = None
    figures: Annotated[Path | None, Word("Directory for figures.")] = None
    form: Annotated[Form, Word("How the table goes to standard output.", "as")] = "table"
