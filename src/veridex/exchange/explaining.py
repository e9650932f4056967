"""Reading what may explain demand: drivers and events; and tables of words."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, Literal

import pandas as pd

from veridex.core.history.drivers import DriverGather, Drivers
from veridex.core.history.events import Events
from veridex.core.periods.cadence import Cadence
from veridex.core.tables.dates import Dates
from veridex.core.tables.layout import columns_of
from veridex.errors import ParameterError
from veridex.exchange.sources import read_source
from veridex.exchange.texts import Source

__all__ = ["read_drivers", "read_events", "read_table"]


def read_drivers(
    source: str | Path | Sequence[str | Path],
    *,
    period: str | Sequence[str] = "period",
    cadence: str | Cadence | None = None,
    item: str | Sequence[str] | None = None,
    columns: Sequence[str] | Mapping[str, Sequence[str]] | None = None,
    known_ahead: Sequence[str] | Literal["all"] = (),
    combine: DriverGather | Mapping[str, DriverGather] | None = None,
    apart: Sequence[str] = (),
    dates: Dates | None = None,
    tz: str | None = None,
    fiscal_start: str | int | None = None,
    fiscal_named: Literal["end", "start"] = "end",
    decimal: str | None = None,
    table: str | None = None,
    query: str | None = None,
    sheet: str | None = None,
    delimiter: str | None = None,
    encoding: str | None = None,
) -> Drivers:
    """Read drivers from one file, or from several that are joined on the period.

    Parameters
    ----------
    source : str, Path, or sequence of them
        As in `read_history`.
    period, cadence, item, columns, known_ahead, combine, apart
        As in `Drivers.from_frame`. Of several files `known_ahead` and `columns` name columns of any; `columns` may
        also say which of each file, as in ``{"weather.csv": ["temp"]}``; of a file that it does not name come all that
        hold numbers. `item` is used where a file has such a column: values of the others hold for every item.
    dates, tz, fiscal_start, fiscal_named, decimal, table, query, sheet, delimiter, encoding
        As in `read_history`.

    Raises
    ------
    FileUnreadable, ColumnMissing, CellUnreadable, CadenceUnclear, ParameterError
    """
    sources = [source] if isinstance(source, (str, Path)) else list(source)
    if not sources:
        raise ParameterError("source", "[]", "name at least one file")
    found = [
        read_source(
            one,
            None,
            (),
            table=table,
            query=query,
            sheet=sheet,
            delimiter=delimiter,
            encoding=encoding,
            named=columns_of(period),
        )
        for one in sources
    ]
    by_file = {str(file): list(names) for file, names in columns.items()} if isinstance(columns, Mapping) else {}
    every = None if isinstance(columns, Mapping) else columns
    ahead = () if known_ahead == "all" else known_ahead
    stray = [name for name in (*(every or ()), *ahead) if not any(name in one.frame.columns for one in found)]
    if stray:
        known = ", ".join(str(column) for one in found for column in one.frame.columns)
        raise ParameterError("columns", repr(stray[0]), f"no file has such a column; they have {known}")
    drivers: Drivers | None = None
    for file, one in zip(sources, found, strict=True):
        own = by_file.get(str(file), None if every is None else [name for name in every if name in one.frame.columns])
        asked: dict[str, Any] = {"period": period, "cadence": cadence, "columns": own, "combine": combine}
        asked |= {"apart": apart, "dates": dates, "tz": tz, "decimal": decimal}
        asked |= {"fiscal_start": fiscal_start, "fiscal_named": fiscal_named}
        made = _drivers_of(one, len(found) > 1, item, known_ahead, asked)
        drivers = made if drivers is None else drivers.joined(made)
        cadence = made.cadence if cadence is None else cadence
    assert drivers is not None
    return drivers


def _drivers_of(
    source: Source,
    several: bool,
    item: str | Sequence[str] | None,
    known_ahead: Sequence[str] | Literal["all"],
    asked: Mapping[str, Any],
) -> Drivers:
    """The drivers of one file: of several, what the others have is not asked of it; `asked` are the other words."""
    present = set(map(str, source.frame.columns))
    keys = (item,) if isinstance(item, str) else tuple(item or ())
    keys = keys if set(keys) <= present else ()
    ahead = known_ahead
    if several:
        ahead = known_ahead if known_ahead == "all" else [name for name in known_ahead if name in present]
    return Drivers.from_frame(
        source.frame,
        item=keys or None,
        known_ahead=ahead,
        **asked,
        source=source.label,
        first_row=source.first_row,
    )


def read_events(
    source: str | Path,
    *,
    table: str | None = None,
    query: str | None = None,
    sheet: str | None = None,
    delimiter: str | None = None,
    encoding: str | None = None,
) -> Events:
    """Read events: a table with the columns name and first, and perhaps last, lead_in and echo.

    Parameters
    ----------
    source, table, query, sheet, delimiter, encoding
        As in `read_history`.

    Raises
    ------
    FileUnreadable, ColumnMissing, CellUnreadable, ParameterError
    """
    found = read_source(source, None, (), table=table, query=query, sheet=sheet, delimiter=delimiter, encoding=encoding)
    return Events.from_frame(found.frame, source=found.label, first_row=found.first_row)


def read_table(source: str | Path) -> pd.DataFrame:
    """A table of words, such as which items replace others, as it stands.

    Raises
    ------
    FileUnreadable
    """
    return read_source(source, None, (), table=None, query=None, sheet=None, delimiter=None, encoding=None).frame
