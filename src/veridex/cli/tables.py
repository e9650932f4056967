"""Tables on standard output: for people, as CSV, as JSON."""

import errno
import json
import os
import shutil
import sys
import textwrap
from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any

import numpy as np
import pandas as pd
import typer
from rich import box
from rich.console import Console
from rich.table import Table

from veridex.cli.spoken import seen
from veridex.cli.streams import as_data
from veridex.cli.widths import Laid, Shape, laid
from veridex.core.arrays import FloatArray
from veridex.core.methods.short_names import short_texts
from veridex.core.periods.cadence import Cadence
from veridex.exchange.unfit import escaped
from veridex.job.requests import Placing

__all__ = ["folded", "paragraph", "show"]

PARAGRAPH = 100
"""Letters in a line of prose where there is no terminal."""

IN_UNITS = ("lower_", "upper_", "value", "forecast", "next", "std_error")
"""Columns in the unit of demand, which share their decimals."""

WIDTH_WITHOUT_TERMINAL = 1000
"""A file or a pipe has no edge at which a table must be folded."""

LONG = 10.0
"""So many millions are shown in millions."""

FEW = 6
"""Sentences below a table, and rows that each names."""

LONGEST_LINE = 120
"""Letters of a line of prose on a wide screen."""

METHOD_COLUMNS = ("method", "decided", "best_single", "benchmark")


def paragraph(text: str) -> str:
    """Prose broken into lines of the terminal's width."""
    width = screen()
    return textwrap.fill(seen(text), PARAGRAPH if width == WIDTH_WITHOUT_TERMINAL else min(width, LONGEST_LINE))


def folded(text: str) -> str:
    """A line broken where the screen ends; whole in a file."""
    width, text = screen(), seen(text)
    return text if width == WIDTH_WITHOUT_TERMINAL else textwrap.fill(text, min(width, LONGEST_LINE))


def show(
    table: pd.DataFrame,
    placing: Placing,
    *,
    title: str,
    hide: tuple[str, ...] = (),
    ranked: Sequence[str] = (),
    caption: str = "",
    legend: Mapping[str, str] = MappingProxyType({}),
    cadence: Cadence | None = None,
) -> None:
    """Print a table.

    People read periods as their cadence writes them, files have the days on which they begin.

    Parameters
    ----------
    table : DataFrame
    placing : Placing
    title, caption : str
    hide : tuple of str
        Columns that CSV and JSON have and people can do without.
    ranked : sequence of str
        Columns, the most important first: those behind them give way where the screen is narrow.
    legend : mapping of str to str
        What columns hold, said where they are shown.
    cadence : Cadence, optional
    """
    if placing.form in ("csv", "json"):
        as_data()
    if placing.form == "csv":
        typer.echo(_written_out(_dates_as_text(table)).to_csv(index=False, lineterminator="\n"), nl=False)
    elif placing.form == "json":
        rows = _dates_as_text(table).to_dict("records")
        typer.echo(json.dumps([{k: _plain(v) for k, v in row.items()} for row in rows], indent=1, ensure_ascii=False))
    else:
        kept = table if placing.wide else table.drop(columns=list(hide))
        width = WIDTH_WITHOUT_TERMINAL if placing.wide else screen()
        _show_rich(_periods_as_written(kept, cadence), seen(title), caption, width, ranked, legend)


def screen() -> int:
    """Letters of a line: of the terminal, or as the environment says; a file has no edge."""
    known = sys.stdout.isatty() or os.environ.get("COLUMNS", "").isdecimal()
    return shutil.get_terminal_size().columns if known else WIDTH_WITHOUT_TERMINAL


class _Page(Console):
    """Standard output; that its reader has gone is left to the way out."""

    def on_broken_pipe(self) -> None:
        """Not the end of the program, and no message."""
        raise BrokenPipeError(errno.EPIPE, os.strerror(errno.EPIPE))


def _show_rich(
    table: pd.DataFrame, title: str, caption: str, width: int, ranked: Sequence[str], legend: Mapping[str, str]
) -> None:
    console = _Page(width=width, highlight=False, markup=False)
    numeric = [pd.api.types.is_numeric_dtype(kind) and not pd.api.types.is_bool_dtype(kind) for kind in table.dtypes]
    columns, magnitude = _cells(table, numeric)
    key = _short_methods(table, columns) if width < WIDTH_WITHOUT_TERMINAL else {}
    named = zip(map(str, table.columns), columns, numeric, strict=True)
    shapes = [Shape(name, cells, right, width == WIDTH_WITHOUT_TERMINAL) for name, cells, right in named]
    fitted = laid(shapes, width - 1, ranked)
    grid = Table(title=title, title_justify="left", title_style="bold", box=box.SIMPLE_HEAD, pad_edge=False)
    shown = [one for one in shapes if one.name in fitted.widths]
    for one in shown:
        head, wide = "\n".join(one.head), fitted.widths[one.name]
        grid.add_column(head, justify="right" if one.numeric else "left", overflow="fold", width=wide)
    for row in zip(*(one.cells for one in shown), strict=True):
        grid.add_row(*row)
    console.print(grid)
    told = [legend[one.name] for one in shown if one.name in legend]
    said = " ".join(part for part in (magnitude, caption, *told, _left_out(fitted)) if part)
    lines = [*_sentences(shapes, fitted), *(f"{short}: {text}" for short, text in key.items())]
    for line in (*lines, *([said] if said else [])):
        console.print(textwrap.fill(line, min(width, LONGEST_LINE), initial_indent=" ", subsequent_indent="   "))
    if lines or said:
        console.print()


def _left_out(fitted: Laid) -> str:
    """What a narrow screen does not show."""
    return f"Left out here: {', '.join(fitted.away)}; --wide or --as csv has all." if fitted.away else ""


def _sentences(shapes: Sequence[Shape], fitted: Laid) -> list[str]:
    """Columns of sentences that stand below the table: each sentence once, with the rows that it is about."""
    lines = []
    for name in fitted.below:
        own = next(one for one in shapes if one.name == name)
        about: dict[str, list[str]] = {}
        for label, cell in zip(shapes[0].cells, own.cells, strict=True):
            if cell not in ("", "-"):
                about.setdefault(cell, []).append(label)
        for said, labels in list(about.items())[:FEW]:
            who = ", ".join(dict.fromkeys(labels[:FEW])) + (
                f" and {len(labels) - FEW} more" if len(labels) > FEW else ""
            )
            lines.append(f"{name}, {who}: {said}")
        if len(about) > FEW:
            lines.append(f"{name}: {len(about) - FEW} more sentences; --wide or --as csv has them.")
    return lines


def _short_methods(table: pd.DataFrame, columns: list[list[str]]) -> dict[str, str]:
    """Put short names of methods into their column where there are long ones; what these stand for."""
    key: dict[str, str] = {}
    for place, name in enumerate(table.columns):
        if name in METHOD_COLUMNS:
            names = short_texts(columns[place])
            columns[place] = [names[text] for text in columns[place]]
            key |= {short: text for text, short in names.items() if short != text}
    return key


def _cells(table: pd.DataFrame, numeric: list[bool]) -> tuple[list[list[str]], str]:
    """The cells of each column as people read them, and the magnitude of those in the unit of demand, in words."""
    numbers = table.select_dtypes("number").columns
    in_units = [name for name in numbers if str(name).startswith(IN_UNITS)]
    pooled = table[in_units].to_numpy(dtype=np.float64, na_value=np.nan).ravel() if in_units else np.empty(0)
    size, said = _magnitude(pooled)
    cells = [
        (_numbers(table[name] / size, pooled / size) if name in in_units else _numbers(table[name], None))
        if right
        else [_text(one) for one in table[name]]
        for name, right in zip(table.columns, numeric, strict=True)
    ]
    return cells, said


def _magnitude(pooled: FloatArray) -> tuple[float, str]:
    """What long numbers are divided by, so that they can be read, and how that is said."""
    sizes = np.abs(pooled[np.isfinite(pooled) & (pooled != 0)])
    typical = float(np.median(sizes)) if sizes.size else 1.0
    for size, word in ((1e12, "trillions"), (1e9, "billions"), (1e6, "millions")):
        if typical >= LONG * size:
            return size, f"Quantities in {word}."
    return 1.0, ""


def _numbers(column: "pd.Series[Any]", pooled: FloatArray | None) -> list[str]:
    """Numbers of a column with the same decimals, so that they can be compared down the column.

    `pooled` holds the numbers of all columns in the same unit, which then share their decimals too, but for whole ones.
    """
    values = column.to_numpy(dtype=np.float64, na_value=np.nan)
    judged = values if pooled is None else pooled
    judged = judged[np.isfinite(judged) & (judged != 0)]
    typical = float(np.quantile(np.abs(judged), 0.5, method="lower")) if judged.size else 1.0
    decimals = 0 if (judged % 1 == 0).all() else int(min(max(3 - np.floor(np.log10(typical)), 0), 6))
    finite = values[np.isfinite(values)]
    if pooled is not None and (finite % 1 == 0).all():
        decimals = 0  # bounds of whole demand are whole
    while decimals and pooled is None and (np.round(finite, decimals - 1) == finite).all():
        decimals -= 1  # what was rounded already has no more to show
    return ["-" if np.isnan(value) else f"{value:,.{decimals}f}" for value in values]


def _text(value: Any) -> str:
    if value is None or value is pd.NA or (isinstance(value, float) and np.isnan(value)):
        return "-"
    if isinstance(value, (bool, np.bool_)):
        return "yes" if value else "no"
    return seen(str(value))


def _periods_as_written(table: pd.DataFrame, cadence: Cadence | None) -> pd.DataFrame:
    if cadence is None:
        return _dates_as_text(table)
    dates = [name for name in table.columns if table[name].dtype.kind == "M"]
    ordinals = {name: cadence.ordinals(table[name].to_numpy()).tolist() for name in dates}
    return table.assign(**{name: [cadence.text(one) for one in found] for name, found in ordinals.items()})


def _dates_as_text(table: pd.DataFrame) -> pd.DataFrame:
    table = table.copy()
    for name in table.columns:
        if table[name].dtype.kind == "M":
            whole_days = (table[name].dt.normalize() == table[name]).all()
            table[name] = table[name].dt.strftime("%Y-%m-%d" if whole_days else "%Y-%m-%dT%H:%M")
    return table


def _written_out(table: pd.DataFrame) -> pd.DataFrame:
    """Texts as our files have them: with letters that steer a terminal or end a line written out."""
    texts = [name for name in table.columns if table[name].dtype.kind == "O" or table[name].dtype == "str"]
    return table.assign(
        **{name: [escaped(one) if isinstance(one, str) else one for one in table[name]] for name in texts}
    )


def _plain(value: Any) -> Any:
    """What JSON can hold: missing values are null."""
    if value is None or value is pd.NA:
        return None
    if isinstance(value, np.generic):
        value = value.item()
    return None if isinstance(value, float) and not np.isfinite(value) else value
