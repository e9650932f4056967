"""What `fit` shows: the method in words and numbers, what it missed, its forecast, two figures."""

import shutil
import sys
import textwrap
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import typer

from veridex.cli.jobs import file_name, read_levels
from veridex.cli.tables import show
from veridex.core.history.history import History
from veridex.core.methods.fitted import Fitted, fit
from veridex.core.methods.forecast import Forecast
from veridex.figures.fit import draw_fit, draw_residuals
from veridex.figures.style import save

__all__ = ["chosen_table", "draw_fitted", "fitted_and_forecast", "show_page"]

MOST_CANDIDATES = 5


def fitted_and_forecast(history: History, method: str, horizon: int, levels: str) -> tuple[Fitted, Forecast]:
    """Fit the method to the one series, and forecast from its end."""
    fitted = fit(history, method)
    return fitted, fitted.forecast(horizon, read_levels(levels))


def chosen_table(fitted: Fitted, forecast: Forecast, table: str) -> pd.DataFrame:
    """The one table that goes to CSV or JSON."""
    if table == "forecast":
        return forecast.frame
    if table == "audit":
        return fitted.audit().table
    if table == "candidates":
        return fitted.candidates
    if table == "components":
        return fitted.components.assign(actual=fitted.series.values, residual=fitted.residuals)
    return fitted.coefficients


def show_page(fitted: Fitted, forecast: Forecast) -> None:
    """Print everything a person wants to read, from the words to the forecast."""
    title = f"{fitted.series.item}: {fitted.method}"
    width = shutil.get_terminal_size().columns if sys.stdout.isatty() else 100
    typer.echo(f"{title}\n\n{textwrap.fill(fitted.in_words(), width)}\n")
    if not fitted.available:
        return
    typer.echo("\n".join(f"    {line}" for line in fitted.equation().splitlines()) + "\n")
    if fitted.reason:
        typer.echo(f"{fitted.reason}.\n")
    if len(fitted.coefficients):
        table, caption = _estimates(fitted)
        show(table, "table", title="Coefficients", caption=caption)
    show(_summary(fitted), "table", title="Fit")
    if len(fitted.candidates):
        tried = fitted.candidates.head(MOST_CANDIDATES).drop(columns=["log_likelihood", "variance"])
        show(_without_empty(tried), "table", title=f"Candidates: the best {len(tried)} of {len(fitted.candidates)}")
    audit = fitted.audit()
    if audit.reason:
        typer.echo(f"{audit.reading}\n")
    else:
        show(audit.table, "table", title=f"Residual audit of {audit.n} errors")
        for step in fitted.next_steps:
            typer.echo(f"Next: {step}")
        if fitted.next_steps:
            typer.echo("")
    show(_without_empty(forecast.frame), "table", title=f"Forecast: next {len(forecast.frame)} periods")


def draw_fitted(fitted: Fitted, forecast: Forecast, directory: Path) -> str:
    """Draw the fit with its forecast, and the residuals."""
    stem = directory / file_name(fitted.series.item)
    save(draw_fit(fitted, forecast), stem.with_name(f"{stem.name}-fit.png"))
    save(draw_residuals(fitted), stem.with_name(f"{stem.name}-residuals.png"))
    return f"2 figures in {directory}."


def _estimates(fitted: Fitted) -> tuple[pd.DataFrame, str]:
    """The coefficients; a season's many starting values, which have no standard errors, are only counted."""
    table = fitted.coefficients
    season = table["name"].str.startswith(("start ", "season ")) & table["std_error"].isna()
    caption = f"{season.sum()} values of the season are left out here; --as csv has them." if season.any() else ""
    return _without_empty(table[~season]), caption


def _summary(fitted: Fitted) -> pd.DataFrame:
    """Values used, quantities estimated, likelihood and criteria, the spread of one-step errors: what there is."""
    known = fitted.residuals[~np.isnan(fitted.residuals)]
    found: dict[str, Any] = {
        "n": fitted.nobs,
        "parameters": fitted.parameters,
        "log_likelihood": fitted.log_likelihood,
        "aicc": fitted.aicc,
        "aic": fitted.aic,
        "bic": fitted.bic,
        "rmse": float(np.sqrt(np.square(known).mean())) if known.size else np.nan,
        "mae": float(np.abs(known).mean()) if known.size else np.nan,
    }
    return pd.DataFrame([{name: value for name, value in found.items() if not np.isnan(value)}])


def _without_empty(table: pd.DataFrame) -> pd.DataFrame:
    """Leave out columns that say nothing."""
    said = [name for name in table.columns if not (table[name].isna() | (table[name].astype(str) == "")).all()]
    return table[said]
