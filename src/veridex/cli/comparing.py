"""What `fit` shows of several methods: evidence first, a row per model, then their estimates side by side."""

import numpy as np
import pandas as pd
import typer

from veridex.cli.tables import folded, paragraph, show
from veridex.core.backtest.comparison import Comparison
from veridex.core.methods.short_names import distinct_names
from veridex.core.readable import number
from veridex.job.requests import Placing

__all__ = ["comparison_table", "estimate_text", "show_comparison"]

MOST_ROWS = 40
CRITERIA = ("aicc", "aic", "bic")


def comparison_table(comparison: Comparison, part: str) -> pd.DataFrame:
    """The one table that goes to CSV or JSON."""
    return comparison.models if part == "models" else comparison.coefficients


def show_comparison(comparison: Comparison, placing: Placing) -> None:
    """Print what speaks for each model, what it comes to, and the estimates with their standard errors."""
    texts = [one.method.text for one in comparison.fits]
    names = distinct_names([one.method for one in comparison.fits])
    typer.echo(folded(f"{comparison.fits[0].series.item}: {len(texts)} models side by side") + "\n")
    for name, text in zip(names, texts, strict=True):
        if name != text:
            typer.echo(f"    {name}: {text}")
    typer.echo("")
    show(_evidence(comparison, names), placing, title="Evidence", caption="-: not comparable, or there is none.")
    typer.echo(paragraph(comparison.in_words()))
    typer.echo("")
    estimates, left = _estimates(comparison, names)
    more = f"{left} more estimates: --part coefficients --as csv." if left else ""
    show(estimates, placing, title="Estimates (standard errors)", caption=more)


def _evidence(comparison: Comparison, names: list[str]) -> pd.DataFrame:
    """A row per model: holdout, training, criteria, size, time."""
    models = comparison.models
    errors = [name for name in models.columns if name.startswith(("holdout_", "training_"))]
    leading = sorted(errors, key=lambda name: not name.startswith("holdout_"))
    table = models[[*leading, *CRITERIA, "n", "parameters", "milliseconds"]]
    table = table.astype({"milliseconds": float}).round({"milliseconds": 1})
    return table.assign(method=names)[["method", *table.columns]]


def _estimates(comparison: Comparison, names: list[str]) -> tuple[pd.DataFrame, int]:
    """Estimates as rows, models as columns: each with its standard error; and how many rows are left out."""
    tables = [one.coefficients.set_index("name") for one in comparison.fits]
    rows = comparison.coefficients["name"].tolist()
    found = {"estimate": rows[:MOST_ROWS]}
    for name, table in zip(names, tables, strict=True):
        found[name] = [_estimate(table.loc[row]) if row in table.index else "" for row in rows[:MOST_ROWS]]
    return pd.DataFrame(found), max(len(rows) - MOST_ROWS, 0)


def _estimate(row: "pd.Series[float]") -> str:
    error = "" if np.isnan(row["std_error"]) else f" ({number(row['std_error'], 2)})"
    return f"{estimate_text(row['value'], bool(row['at_edge']))}{error}"


def estimate_text(value: float, at_edge: bool) -> str:
    """An estimate, and whether it lies on a wall of where it is sought."""
    return f"{number(value)}{' (at its edge)' if at_edge else ''}"
