"""The words that describe FILE, the same in every command that reads one."""

import inspect
from collections.abc import Callable, Iterable
from dataclasses import dataclass, fields
from enum import StrEnum
from functools import wraps
from typing import TYPE_CHECKING, Annotated, Any, get_type_hints

import typer

from veridex.errors import ParameterError

if TYPE_CHECKING:
    from veridex.core.history.history import History

__all__ = ["FileWords", "read", "read_whole", "say", "say_notes", "takes_file"]


class Layout(StrEnum):
    """A row per item and period, or a column per item."""

    LONG = "long"
    WIDE = "wide"


class Dates(StrEnum):
    """How 03/04/2024 is read."""

    DAY_FIRST = "day-first"
    MONTH_FIRST = "month-first"


class Named(StrEnum):
    """Which calendar year a fiscal year is called by."""

    END = "end"
    START = "start"


class Combine(StrEnum):
    """How several rows of a period become its demand."""

    SUM = "sum"
    MEAN = "mean"
    LAST = "last"
    COUNT = "count"
    MAX = "max"


class Absent(StrEnum):
    """What a period without a row means."""

    ZERO = "zero"
    UNKNOWN = "unknown"


class Notes(StrEnum):
    """Whose notes are said where one item was asked for."""

    OWN = "own"
    ALL = "all"


def option(text: str, *names: str) -> Any:
    """Describe an option."""
    return typer.Option(*names, help=text)


@dataclass(frozen=True, slots=True, kw_only=True)
class FileWords:
    """FILE and what was said about it."""

    file: Annotated[
        str,
        typer.Argument(help="CSV, Parquet, Excel, a database address (sqlite:///shop.db), or - for standard input."),
    ]
    item: Annotated[
        str | None, option("Column of the item keys (several: a,b); COLUMN=KEY keeps one item, e.g. sku=smoker-01.")
    ] = None
    period: Annotated[str | None, option("Column of the dates; year,month for two columns (default: period).")] = None
    demand: Annotated[str | None, option("Column of the quantities (default: demand).")] = None
    cadence: Annotated[
        str | None, option("yearly, quarterly, monthly, weekly, workday, daily, hourly, '10 minutes', counted …")
    ] = None
    start: Annotated[str | None, option("First period of a bare column of numbers, e.g. 2019-01.")] = None
    name: Annotated[str | None, option("What a single series is called.")] = None
    unit: Annotated[str | None, option("Unit of demand, for titles and axes.")] = None
    season_length: Annotated[int | None, option("Periods after which the season repeats.")] = None
    layout: Annotated[Layout, option("Rows per item and period, or a column per item.")] = Layout.LONG
    items: Annotated[str | None, option("Columns to keep in the wide layout, separated by commas.")] = None
    dates: Annotated[Dates | None, option("How 03/04/2024 is read where the column does not tell.")] = None
    tz: Annotated[str | None, option("Whose days are meant where stamps carry a zone, e.g. Europe/London.")] = None
    fiscal_start: Annotated[str | None, option("First month of the year where it is not January, e.g. april.")] = None
    fiscal_named: Annotated[Named, option("Calendar year a fiscal year is called by.")] = Named.END
    decimal: Annotated[str | None, option("Decimal mark where the column does not tell: . or ,")] = None
    status: Annotated[str | None, option("Column that marks rows as invalid; they are left out.")] = None
    invalid: Annotated[str | None, option("What marks them, separated by commas (default: cancelled, void, no …).")] = (
        None
    )
    stock_out: Annotated[str | None, option("Column that says yes where there was nothing to sell.")] = None
    combine: Annotated[Combine, option("How several rows of a period become its demand.")] = Combine.SUM
    absent: Annotated[Absent | None, option("What a period without a row means.")] = None
    keep_unfinished: Annotated[bool, option("Keep an unfinished last period.", "--keep-unfinished")] = False
    since: Annotated[str | None, option("First period to keep.")] = None
    until: Annotated[str | None, option("Last period to keep; 'last complete month' with --as-of.")] = None
    last: Annotated[str | None, option("Keep so many last periods, or a span such as '2 years'.")] = None
    as_of: Annotated[str | None, option("The instant that 'last complete' is told from; now asks the clock.")] = None
    notes: Annotated[Notes, option("Of one item: its own notes, or those of all items.")] = Notes.OWN
    table: Annotated[str | None, option("Table of a database.")] = None
    query: Annotated[str | None, option("Query to ask a database.")] = None
    sheet: Annotated[str | None, option("Sheet of a workbook.")] = None
    delimiter: Annotated[str | None, option("Mark between the columns of a CSV file (default: found out).")] = None
    encoding: Annotated[str | None, option("Encoding of a CSV file (default: found out).")] = None


def takes_file(command: Callable[..., None]) -> Callable[..., None]:
    """Give a command the words for FILE; its first parameter, `words`, receives them in one."""
    hints = get_type_hints(FileWords, include_extras=True)
    own = list(inspect.signature(command).parameters.values())[1:]
    keyword = inspect.Parameter.KEYWORD_ONLY
    shared = [
        inspect.Parameter(f.name, keyword, annotation=hints[f.name], default=_default(f)) for f in fields(FileWords)
    ]
    names = {f.name for f in fields(FileWords)}

    @wraps(command)
    def run(**given: Any) -> None:
        words = FileWords(**{name: value for name, value in given.items() if name in names})
        command(words, **{name: value for name, value in given.items() if name not in names})

    run.__signature__ = inspect.Signature([*shared, *(p.replace(kind=keyword) for p in own)])  # type: ignore[attr-defined]
    run.__annotations__ = {p.name: p.annotation for p in [*shared, *own]}
    return run


def _default(field: Any) -> Any:
    return inspect.Parameter.empty if field.name == "file" else field.default


def read(words: FileWords, tidy: str | None = None) -> "History":
    """Read FILE, keep the one item and the span asked for, tidy it by the rules given, and say what was decided."""
    history, item = read_whole(words)
    if tidy is not None:
        from veridex.cli.tidying import tidied_by

        # All items together tell whether the last period is unfinished, so the one is picked afterwards.
        tidied = tidied_by(history, tidy)
        say_notes(tidied.notes, item, words.notes)
        history = tidied.history
    return history if item is None else history.only(item)


def read_whole(words: FileWords) -> "tuple[History, str | None]":
    """Read FILE and keep the span asked for; all items, and which one was asked for."""
    from veridex.exchange.reading import read_history

    columns, _, key = (words.item or "").partition("=")
    if words.items is not None and not words.items.strip():
        raise ParameterError("items", repr(words.items), "name at least one column")
    history = read_history(
        words.file,
        item=_split(columns),
        period=_split(words.period),
        demand=words.demand,
        cadence=words.cadence,
        start=words.start,
        name=words.name,
        unit=words.unit,
        season_length=words.season_length,
        layout=words.layout.value,
        items=None if words.items is None else [part.strip() for part in words.items.split(",")],
        dates=None if words.dates is None else words.dates.value,
        tz=words.tz,
        fiscal_start=_month(words.fiscal_start),
        fiscal_named=words.fiscal_named.value,
        decimal=words.decimal,
        status=words.status,
        invalid=None if words.invalid is None else [part.strip() for part in words.invalid.split(",")],
        stock_out=words.stock_out,
        combine=words.combine.value,
        absent=None if words.absent is None else words.absent.value,
        unfinished="keep" if words.keep_unfinished else "drop",
        table=words.table,
        query=words.query,
        sheet=words.sheet,
        delimiter={"tab": "\t"}.get(words.delimiter or "", words.delimiter),
        encoding=words.encoding,
    )
    if key:
        history[key]  # an unknown item is refused before anything is done
    say_notes(history.notes, key or None, words.notes)
    return _narrowed(history, words), key or None


def _narrowed(history: "History", words: FileWords) -> "History":
    """Keep the span asked for."""
    if words.as_of is not None and words.until is None:
        raise ParameterError("as_of", repr(words.as_of), "it says from when --until 'last complete month' is told")
    if words.since is not None:
        history = history.since(words.since)
    if words.until is not None:
        history = history.until(words.until, as_of=words.as_of)
    if words.last is not None:
        history = history.last(int(words.last) if words.last.isdigit() else words.last)
    return history


def _month(text: str | None) -> str | int | None:
    """A month by its name or its number."""
    return int(text) if text is not None and text.isdigit() else text


def _split(text: str | None) -> str | list[str] | None:
    """One column, or several separated by commas."""
    parts = [part.strip() for part in (text or "").split(",") if part.strip()]
    return parts[0] if len(parts) == 1 else parts or None


def say_notes(notes: Iterable[str], item: str | None, wanted: Notes) -> None:
    """Say what concerns the item asked for, and in one line how much more there is."""
    from veridex.core.tables.notes import notes_about

    own, others, times = (list(notes), 0, 0) if item is None or wanted is Notes.ALL else notes_about(notes, item)
    for note in own:
        say(note)
    if others:
        said = f"{others:,} other item{'s' if others > 1 else ''}: {times:,} note{'s' if times > 1 else ''}"
        say(f"{said}, --notes all shows them.")


def say(note: str) -> None:
    """Notes go to standard error, so that standard output holds the table alone."""
    typer.echo(note, err=True)
