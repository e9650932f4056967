"""What `fit` shows of several methods: their models side by side."""

import numpy as np
import pandas as pd
import typer

from veridex.cli.tables import paragraph, show
from veridex.core.backtest.comparison import Comparison
from veridex.core.methods.words import number

__all__ = ["comparison_table", "show_comparison"]

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
MOST_ROWS = 40


def comparison_table(comparison: Comparison, part: str) -> pd.DataFrame:
    """The one table that goes to CSV or JSON."""
    return comparison.models if part == "models" else comparison.coefficients


def show_comparison(comparison: Comparison) -> None:
    """Print the models by letters, their estimates as columns, criteria and errors below, and what it comes to."""
    letters = LETTERS[: len(comparison.fits)]
    typer.echo(f"{comparison.fits[0].series.item}: {len(comparison.fits)} models side by side\n")
    for letter, one in zip(letters, comparison.fits, strict=False):
        typer.echo(f"    {letter}  {one.method}")
    typer.echo("")
    show(_columns(comparison, letters), "table", title="Estimates, criteria, errors")
    typer.echo(paragraph(comparison.in_words()))


def _columns(comparison: Comparison, letters: str) -> pd.DataFrame:
    """Models as columns: coefficients with stars, then criteria, errors and time."""
    tables = [one.coefficients.set_index("name") for one in comparison.fits]
    names = comparison.coefficients["name"].tolist()[:MOST_ROWS]
    rows = {"": names}
    for letter, table in zip(letters, tables, strict=False):
        rows[letter] = [
            f"{number(table['value'][name], 3)}{table['stars'][name]}" if name in table.index else "" for name in names
        ]
    models = comparison.models
    figures = [name for name in models.columns if name not in ("method", "not_comparable")]
    below = {"": [""] + [name.replace("_", " ") for name in figures]}
    for letter, row in zip(letters, models.to_dict("records"), strict=False):
        below[letter] = [""] + [_figure(row[name], row["not_comparable"]) for name in figures]
    return pd.concat((pd.DataFrame(rows), pd.DataFrame(below)), ignore_index=True)


def _figure(value: float, why: str) -> str:
    if np.isnan(value):
        return "not comparable" if why else "-"
    return f"{value:,.0f}" if float(value).is_integer() else number(float(value), 5)
