"""What `fit` shows: the method in words and numbers, what it missed, its forecast, two figures."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import typer

from veridex import figures
from veridex.cli.comparing import comparison_table, estimate_text, show_comparison
from veridex.cli.desk import desk_for
from veridex.cli.spoken import seen
from veridex.cli.tables import folded, paragraph, show
from veridex.core.fitted.fitted import Fitted
from veridex.core.fitted.forecast import Forecast
from veridex.core.history.history import History
from veridex.core.methods.catalogue import methods
from veridex.core.preparation.regressors import Explanation
from veridex.core.readable import number
from veridex.front import compare_fits, fit
from veridex.job.desk import Desk
from veridex.job.drawing import draw_named, file_name
from veridex.job.placing import for_fitted
from veridex.job.preparing import parts_of, prepare
from veridex.job.reading import brought
from veridex.job.requests import Driving, Fitting, Happening, Placing, Reading, Ruling, Testing
from veridex.job.testing import HORIZON, scheme_of
from veridex.job.words import Stated

__all__ = ["run_fit"]

MOST_CANDIDATES = 5
PLAIN_COLUMNS = 3
"""Columns of contributions where there are none: period, step, total."""

LIKELIHOOD = ("n", "parameters", "log_likelihood", "aicc", "aic", "bic", "rmse", "mae", "variance")
REGRESSION = ("r2", "adjusted_r2", "f", "f_degrees", "degrees", "standard_deviation", "durbin_watson")


def run_fit(
    reading: Reading,
    fitting: Fitting,
    driving: Driving,
    happening: Happening,
    testing: Testing,
    ruling: Ruling,
    placing: Placing,
    stated: Stated,
) -> None:
    """Fit one method and show all of it, or compare several."""
    desk = desk_for(placing)
    several = len(fitting.method) > 1
    if several:
        said = "several methods are compared by errors and criteria, without a forecast"
        stated.refuse(said, "figures", "levels", "to")
    else:
        stated.refuse("one method alone is not backtested by fit", "origins", "scheme")
    if placing.form == "table":
        stated.refuse("the page shows all parts; --as csv or json takes one", "part")
    place = for_fitted(placing.to)
    lineup = methods(fitting.method)
    history, told = brought(reading, ruling, driving, happening, desk)
    prepare(parts_of(lineup), desk)
    if several:
        _compare(history, fitting, testing, told, placing)
    else:
        _fit_one(history, fitting, testing, told, placing, place, desk)


def _compare(history: History, fitting: Fitting, testing: Testing, told: Explanation, placing: Placing) -> None:
    """Put the methods side by side, with holdout errors from as many origins as the history reaches back to."""
    scheme = scheme_of(history, testing)
    given = {"drivers": told.drivers, "events": told.events, "foresight": told.foresight}
    comparison = compare_fits(history, fitting.method, scheme, **given)  # type: ignore[arg-type]
    if placing.form == "table":
        show_comparison(comparison, placing)
    else:
        show(comparison_table(comparison, fitting.part), placing, title="")


def _fit_one(
    history: History,
    fitting: Fitting,
    testing: Testing,
    told: Explanation,
    placing: Placing,
    place: Callable[[Any, Desk], None],
    desk: Desk,
) -> None:
    """Fit the method to the one series, forecast from its end, and show both."""
    given = {"drivers": told.drivers, "events": told.events, "foresight": told.foresight}
    fitted = fit(history, fitting.method[0], **given)  # type: ignore[arg-type]
    forecast = fitted.forecast(testing.horizon or HORIZON, testing.levels)
    if placing.form == "table":
        show_page(fitted, forecast, placing)
    else:
        if fitted.reason:
            desk.say(f"{fitted.series.item}, {fitted.method}: {fitted.reason}.")
        table = chosen_table(fitted, forecast, fitting.part)
        show(table, placing, title="", cadence=fitted.series.cadence)
    if fitted.available:
        place(fitted, desk)
    if placing.figures is not None and fitted.available:
        desk.say(draw_fitted(fitted, forecast, placing.figures))


def chosen_table(fitted: Fitted, forecast: Forecast, table: str) -> pd.DataFrame:
    """The one table that goes to CSV or JSON."""
    if table == "forecast":
        return forecast.frame
    if table == "fitted":
        return fitted.to_frame(forecast.levels)
    if table == "audit":
        return fitted.audit().table
    if table == "candidates":
        return fitted.candidates
    if table == "components":
        return fitted.components.assign(actual=fitted.series.values, residual=fitted.residuals)
    if table == "contributions":
        return fitted.contributions(len(forecast.points))
    if table == "roots":
        return fitted.roots
    if table == "models":
        return pd.DataFrame([{"method": fitted.method.text, **fitted.summary}])
    return fitted.coefficients


def show_page(fitted: Fitted, forecast: Forecast, placing: Placing) -> None:
    """Print everything a person wants to read, from the words to the forecast."""
    title = seen(f"{fitted.series.item}: {fitted.method}")
    typer.echo(f"{title}\n\n{paragraph(fitted.in_words())}\n")
    if not fitted.available:
        return
    typer.echo("\n".join(f"    {line}" for line in fitted.equation().splitlines()) + "\n")
    if fitted.reason:
        typer.echo(f"{fitted.reason}.\n")
    if len(fitted.coefficients):
        table, caption = _estimates(fitted)
        show(table, placing, title="Coefficients", caption=caption)
    show(_figures(fitted, LIKELIHOOD), placing, title="Fit")
    if not np.isnan(fitted.summary.get("r2", np.nan)):
        show(_figures(fitted, REGRESSION), placing, title="Regression")
    for line in _doubts(fitted):
        typer.echo(folded(line))
    typer.echo("")
    if len(fitted.candidates):
        tried = fitted.candidates.head(MOST_CANDIDATES).drop(columns=["log_likelihood", "variance"])
        show(_without_empty(tried), placing, title=f"Candidates: the best {len(tried)} of {len(fitted.candidates)}")
    audit = fitted.audit()
    if audit.reason:
        typer.echo(f"{audit.reading}\n")
    else:
        show(audit.table, placing, title=f"Residual audit of {audit.n} errors")
        for step in fitted.next_steps:
            typer.echo(folded(f"Next: {step}"))
        if fitted.next_steps:
            typer.echo("")
    cadence = fitted.series.cadence
    title = f"Forecast: next {cadence.length(len(forecast.frame))}"
    show(_without_empty(forecast.frame), placing, title=title, cadence=cadence)


def draw_fitted(fitted: Fitted, forecast: Forecast, directory: Path) -> str:
    """Draw the fit with its forecast, the residuals, and the parts where it has some."""
    stem, ahead = file_name(fitted.series.item), len(forecast.points)
    named = {
        f"{stem}-fit": lambda: figures.fit(fitted, forecast),
        f"{stem}-residuals": lambda: figures.residuals(fitted),
    }
    if len(fitted.contributions().columns) > PLAIN_COLUMNS:
        named[f"{stem}-contributions"] = lambda: figures.contributions(fitted, ahead)
    return draw_named(directory, named)


def _estimates(fitted: Fitted) -> tuple[pd.DataFrame, str]:
    """The coefficients; a season's many starting values, which have no standard errors, are only counted."""
    table = fitted.coefficients
    season = table["name"].str.startswith(("start ", "season ")) & table["std_error"].isna()
    caption = f"{season.sum()} values of the season are left out here; --as csv has them." if season.any() else ""
    shown = table[~season]
    values = [estimate_text(value, edge) for value, edge in zip(shown["value"], shown["at_edge"], strict=True)]
    return _without_empty(shown.assign(value=values).drop(columns="at_edge")), caption


def _figures(fitted: Fitted, names: Sequence[str]) -> pd.DataFrame:
    """Some figures of the summary in one row: what there is of them."""
    found = fitted.summary
    return pd.DataFrame([{name: found[name] for name in names if not np.isnan(found[name])}])


def _doubts(fitted: Fitted) -> list[str]:
    """How the estimation ended, how far the polynomials stay off the unit circle, flags, and what drivers lack."""
    figures = fitted.summary
    ended = "Converged" if figures["converged"] else "Not converged"
    steps = f" after {figures['steps']:.0f} steps" if figures["steps"] > 0 else ""
    lines = [f"{ended}{steps} in {figures['milliseconds']:.1f} ms."]
    known = {
        name: figures[f"{name}_margin"] for name in ("stationarity", "invertibility") if figures[f"{name}_margin"] >= 0
    }
    if known:
        said = ", ".join(f"{name} margin {number(value, 3)}" for name, value in known.items())
        lines.append(f"{said[0].upper()}{said[1:]} (smallest modulus of the zeros less one).")
    lines += [f"Flag: {flag}." for flag in fitted.flags]
    return lines + list(fitted.notes)


def _without_empty(table: pd.DataFrame) -> pd.DataFrame:
    """Leave out columns that say nothing."""
    said = [name for name in table.columns if not (table[name].isna() | (table[name].astype(str) == "")).all()]
    return table[said]
