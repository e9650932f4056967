"""Tables on standard output: for people, as CSV, as JSON."""

import json
import sys
from typing import Any

import numpy as np
import pandas as pd
import typer
from rich import box
from rich.console import Console
from rich.table import Table

from veridex.core.methods.words import number

__all__ = ["show"]

WIDTH_WITHOUT_TERMINAL = 1000
"""A file or a pipe has no edge at which a table must be folded."""


def show(table: pd.DataFrame, form: str, *, title: str, hide: tuple[str, ...] = ()) -> None:
    """Print a table; `hide` names columns that CSV and JSON have and people can do without."""
    if form == "csv":
        typer.echo(_dates_as_text(table).to_csv(index=False, lineterminator="\n"), nl=False)
    elif form == "json":
        rows = _dates_as_text(table).to_dict("records")
        typer.echo(json.dumps([{k: _plain(v) for k, v in row.items()} for row in rows], indent=1, ensure_ascii=False))
    else:
        _show_rich(_dates_as_text(table.drop(columns=list(hide))), title)


def _show_rich(table: pd.DataFrame, title: str) -> None:
    console = Console(width=None if sys.stdout.isatty() else WIDTH_WITHOUT_TERMINAL, highlight=False)
    grid = Table(title=title, title_justify="left", title_style="bold", box=box.SIMPLE_HEAD, pad_edge=False)
    for name in table.columns:
        numeric = pd.api.types.is_numeric_dtype(table[name]) and not pd.api.types.is_bool_dtype(table[name])
        grid.add_column(str(name), justify="right" if numeric else "left", overflow="fold")
    for row in table.itertuples(index=False, name=None):
        grid.add_row(*(_cell(value) for value in row))
    console.print(grid)


def _cell(value: Any) -> str:
    if value is None or value is pd.NA or (isinstance(value, float) and np.isnan(value)):
        return "-"
    if isinstance(value, (bool, np.bool_)):
        return "yes" if value else "no"
    return number(float(value)) if isinstance(value, (int, float, np.number)) else str(value)


def _dates_as_text(table: pd.DataFrame) -> pd.DataFrame:
    table = table.copy()
    for name in table.columns:
        if table[name].dtype.kind == "M":
            table[name] = table[name].dt.strftime("%Y-%m-%d")
    return table


def _plain(value: Any) -> Any:
    """What JSON can hold: missing values are null."""
    if value is None or value is pd.NA:
        return None
    if isinstance(value, np.generic):
        value = value.item()
    return None if isinstance(value, float) and not np.isfinite(value) else value
