"""What can be said of FILE, of how it is tidied, and of what may explain it."""

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, ClassVar, Literal

from veridex.job.words import Word, split_names

__all__ = ["Driving", "Happening", "Reading", "Ruling", "Tidying"]

Texts = tuple[str, ...]
Numbers = tuple[float, ...]

ROWS, WORTH, SPAN = "How FILE is read", "What demand is", "Which periods are kept"


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """FILE and what is said about it."""

    TITLE: ClassVar[str] = "FILE"

    file: Annotated[
        str,
        Word(
            help="A plan (plan.toml), or CSV, Parquet, Excel, a database address (sqlite:///shop.db), or - for "
            "standard input.",
            positional=True,
            place=True,
        ),
    ]
    item: Annotated[
        str | None,
        Word(
            help="Column of the item keys (several: a,b); COLUMN=KEY keeps one item, e.g. sku=smoker-01; of a plan "
            "the key alone."
        ),
    ] = None
    period: Annotated[Texts, Word(help="Column of the dates; year,month for two columns (default: period).")] = ()
    demand: Annotated[str | None, Word(help="Column of the quantities (default: demand).")] = None
    cadence: Annotated[
        str | None, Word(help="yearly, quarterly, monthly, weekly, workday, daily, hourly, '10 minutes', counted …")
    ] = None
    start: Annotated[str | None, Word(help="First period of a bare column of numbers, e.g. 2019-01.")] = None
    name: Annotated[str | None, Word(help="What a single series is called.")] = None
    since: Annotated[str | None, Word(help="First period to keep.", group=SPAN)] = None
    until: Annotated[str | None, Word(help="Last period to keep; 'last complete month' with --as-of.", group=SPAN)] = (
        None
    )
    last: Annotated[str | None, Word(help="Keep so many last periods, or a span such as '2 years'.", group=SPAN)] = None
    as_of: Annotated[
        str | None, Word(help="The instant that 'last complete' is told from; now asks the clock.", group=SPAN)
    ] = None
    keep_unfinished: Annotated[bool, Word(help="Keep an unfinished last period.", group=SPAN)] = False
    unit: Annotated[str | None, Word(help="Unit of demand, for titles and axes.", group=WORTH)] = None
    adds: Annotated[
        Literal["sum", "mean"] | None,
        Word(help="Whether demand adds up over time and items, or averages (prices).", group=WORTH),
    ] = None
    floor: Annotated[
        str | None, Word(help="What demand never is below: 0, or none (default: as its values show).", group=WORTH)
    ] = None
    whole: Annotated[
        Literal["yes", "no"] | None,
        Word(help="Whether demand is counted in whole numbers (default: as its values show).", group=WORTH),
    ] = None
    seasons: Annotated[
        Numbers,
        Word(
            help="Periods after which demand repeats itself, e.g. 7,365.25 (default: looked for); 1 for none.",
            group=WORTH,
        ),
    ] = ()
    layout: Annotated[
        Literal["long", "wide"], Word(help="Rows per item and period, or a column per item.", group=ROWS)
    ] = "long"
    items: Annotated[Texts, Word(help="Columns to keep in the wide layout, separated by commas.", group=ROWS)] = ()
    dates: Annotated[
        Literal["day-first", "month-first"] | None,
        Word(help="How 03/04/2024 is read where the column does not tell.", group=ROWS),
    ] = None
    tz: Annotated[
        str | None, Word(help="Whose days are meant where stamps carry a zone, e.g. Europe/London.", group=ROWS)
    ] = None
    fiscal_start: Annotated[
        str | None, Word(help="First month of the year where it is not January, e.g. april.", group=ROWS)
    ] = None
    fiscal_named: Annotated[
        Literal["end", "start"], Word(help="Calendar year a fiscal year is called by.", group=ROWS)
    ] = "end"
    decimal: Annotated[str | None, Word(help="Decimal mark where the column does not tell: . or ,", group=ROWS)] = None
    status: Annotated[str | None, Word(help="Column that marks rows as invalid; they are left out.", group=ROWS)] = None
    invalid: Annotated[
        Texts, Word(help="What marks them, separated by commas (default: cancelled, void, no …).", group=ROWS)
    ] = ()
    stock_out: Annotated[str | None, Word(help="Column that says yes where there was nothing to sell.", group=ROWS)] = (
        None
    )
    in_stock: Annotated[
        str | None, Word(help="Column of the share of the period, 0 to 1, in which there was stock.", group=ROWS)
    ] = None
    successors: Annotated[
        str | None,
        Word(help="Table of items that replace others: item, replaces, and perhaps factor.", group=ROWS, place=True),
    ] = None
    combine: Annotated[
        Literal["sum", "mean", "last", "count", "max"],
        Word(help="How several rows of a period become its demand.", group=ROWS),
    ] = "sum"
    absent: Annotated[
        Literal["zero", "unknown"] | None, Word(help="What a period without a row means.", group=ROWS)
    ] = None
    notes: Annotated[
        Literal["own", "all"],
        Word(help="Of one item: its own notes, or those of all items.", group=ROWS, planned=""),
    ] = "own"
    table: Annotated[str | None, Word(help="Table of a database.", group=ROWS)] = None
    query: Annotated[str | None, Word(help="Query to ask a database.", group=ROWS)] = None
    sheet: Annotated[str | None, Word(help="Sheet of a workbook.", group=ROWS)] = None
    delimiter: Annotated[
        str | None, Word(help="Mark between the columns of a CSV file, e.g. tab (default: found out).", group=ROWS)
    ] = None
    encoding: Annotated[str | None, Word(help="Encoding of a CSV file (default: found out).", group=ROWS)] = None

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

    TITLE: ClassVar[str] = "Rules"

    gaps: Annotated[
        Literal["unknown", "zero", "carry", "interpolate", "seasonal"], Word(help="What unknown demand becomes.")
    ] = "unknown"
    duplicates: Annotated[
        Literal["sum", "mean", "last", "refuse"], Word(help="What several rows of a period become in a table.")
    ] = "sum"
    outliers: Annotated[Literal["leave", "flag", "repair"], Word(help="What is done with outliers.")] = "flag"
    unfinished: Annotated[str, Word(help="drop or keep a last period, or how many to drop.")] = "drop"
    per_working_day: Annotated[
        str | None,
        Word(help="Demand per working day of a country or region, as a measure of its own; none for weekends alone."),
    ] = None
    negative: Annotated[Literal["keep", "zero", "refuse"], Word(help="What is done with negative demand.")] = "keep"


@dataclass(frozen=True, slots=True, kw_only=True)
class Ruling:
    """Whether a history is tidied on the way, in one word."""

    TITLE: ClassVar[str] = "Rules"

    tidy: Annotated[str | None, Word(help="Rules to tidy by, e.g. 'gaps=interpolate outliers=repair'.", planned="")] = (
        None
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Happening:
    """Events that demand follows, and that excuse outliers."""

    TITLE: ClassVar[str] = "Events"

    events: Annotated[Path | None, Word(help="Table of events.", planned="file", place=True)] = None
    holidays: Annotated[Texts, Word(help="Public holidays as events, by country or region: GB-ENG, DE-BY.")] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Driving:
    """What may explain demand."""

    TITLE: ClassVar[str] = "Drivers"

    drivers: Annotated[
        Texts,
        Word(
            help="Tables of drivers, or columns of FILE, separated by commas; weather.csv:temp,hum for some of one.",
            planned="files",
            place=True,
        ),
    ] = ()
    known_ahead: Annotated[Texts, Word(help="Drivers whose future is known, separated by commas.")] = ()
    working_days: Annotated[
        Texts, Word(help="Working days of each period as a driver, by country or region; none for weekends alone.")
    ] = ()
    tidy_drivers: Annotated[
        str | None, Word(help="Rules for drivers, e.g. 'gaps=interpolate outliers=repair'.", planned="tidy")
    ] = None
    foresight: Annotated[
        Literal["none", "perfect"], Word(help="Future of observed-only drivers: forecast, or as recorded.")
    ] = "none"
    scenarios: Annotated[
        Texts,
        Word(
            help="'NAME since PERIOD: DRIVER=+10%, DRIVER=5': other futures of drivers, published too.",
            name="scenario",
            repeated=True,
        ),
    ] = ()
