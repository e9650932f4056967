"""Tables on standard output: for people, as CSV, as JSON."""

import json
import shutil
import sys
import textwrap
from typing import Any

import numpy as np
import pandas as pd
import typer
from rich import box
from rich.console import Console
from rich.table import Table

from veridex.core.arrays import FloatArray
from veridex.core.periods.cadence import Cadence
from veridex.job.requests import Placing

__all__ = ["paragraph", "show"]

PARAGRAPH = 100
"""Letters in a line of prose where there is no terminal."""

IN_UNITS = ("lower_", "upper_", "value", "forecast", "next", "std_error")
"""Columns in the unit of demand, which share their decimals."""

WIDTH_WITHOUT_TERMINAL = 1000
"""A file or a pipe has no edge at which a table must be folded."""

LONG = 10.0
"""So many millions are shown in millions."""

GUTTER = 3
"""Blanks between columns."""


def paragraph(text: str) -> str:
    """Prose broken into lines of the terminal's width."""
    width = shutil.get_terminal_size().columns if sys.stdout.isatty() else PARAGRAPH
    return textwrap.fill(text, width)


def show(
    table: pd.DataFrame,
    placing: Placing,
    *,
    title: str,
    hide: tuple[str, ...] = (),
    caption: str = "",
    cadence: Cadence | None = None,
) -> None:
    """Print a table; `hide` names columns that CSV and JSON have and people can do without.

    People read periods as their cadence writes them, files have the days on which they begin.
    """
    if placing.form == "csv":
        typer.echo(_dates_as_text(table).to_csv(index=False, lineterminator="\n"), nl=False)
    elif placing.form == "json":
        rows = _dates_as_text(table).to_dict("records")
        typer.echo(json.dumps([{k: _plain(v) for k, v in row.items()} for row in rows], indent=1, ensure_ascii=False))
    else:
        _show_rich(_periods_as_written(table.drop(columns=list(hide)), cadence), title, caption)


def _show_rich(table: pd.DataFrame, title: str, caption: str) -> None:
    console = Console(width=None if sys.stdout.isatty() else WIDTH_WITHOUT_TERMINAL, highlight=False, markup=False)
    grid = Table(title=title, title_justify="left", title_style="bold", box=box.SIMPLE_HEAD, pad_edge=False)
    numeric = [pd.api.types.is_numeric_dtype(kind) and not pd.api.types.is_bool_dtype(kind) for kind in table.dtypes]
    columns, magnitude = _cells(table, numeric)
    words = [_longest_word((str(name), *cells)) for name, cells in zip(table.columns, columns, strict=True)]
    # Where the screen is too narrow for whole words they are broken: no column is lost.
    whole = sum(words) + GUTTER * len(words) <= console.width
    for name, right, longest in zip(table.columns, numeric, words, strict=True):
        grid.add_column(
            str(name), justify="right" if right else "left", overflow="fold", min_width=longest if whole else None
        )
    for row in zip(*columns, strict=True):
        grid.add_row(*row)
    console.print(grid)
    said = " ".join(part for part in (magnitude, caption) if part)
    if said:
        console.print(f" {said}\n", markup=False)


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


def _longest_word(cells: tuple[str, ...]) -> int:
    return max((len(word) for cell in cells for word in cell.split()), default=0)


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
    return str(value)


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


def _plain(value: Any) -> Any:
    """What JSON can hold: missing values are null."""
    if value is None or value is pd.NA:
        return None
    if isinstance(value, np.generic):
        value = value.item()
    return None if isinstance(value, float) and not np.isfinite(value) else value
