"""What `apply` does: a fitted method is carried over to newer demand, nothing estimated anew."""

from pathlib import Path
from typing import Any

import typer

from veridex.cli.desk import desk_for
from veridex.cli.fitting import chosen_table, draw_fitted
from veridex.cli.tables import paragraph, show
from veridex.exchange.forms.fitted import read_fitted
from veridex.job.placing import for_fitted
from veridex.job.reading import brought
from veridex.job.requests import Applying, Driving, Happening, Placing, Reading, Ruling, Testing
from veridex.job.testing import HORIZON

__all__ = ["run_apply"]


def run_apply(
    applying: Applying,
    reading: Reading,
    driving: Driving,
    happening: Happening,
    testing: Testing,
    ruling: Ruling,
    placing: Placing,
) -> None:
    """Read the method and the newer demand of its item, carry the one over to the other, and show its forecast."""
    desk, place = desk_for(placing), for_fitted(placing.to)
    before = read_fitted(Path(applying.model))
    history, told = brought(reading, ruling, driving, happening, desk)
    newer = history[before.series.item] if len(history) > 1 else history
    fitted = before.apply(newer)
    futures: dict[str, Any] = {"drivers": told.drivers, "events": told.events}
    forecast = fitted.forecast(testing.horizon or HORIZON, testing.levels, **futures)
    cadence = fitted.series.cadence
    if placing.form == "table":
        since, last = cadence.text(before.series.start + len(before.series) - 1), len(fitted.series)
        until = cadence.text(fitted.series.start + last - 1)
        typer.echo(paragraph(f"{fitted.series.item}, {fitted.method}: estimated up to {since}, carried on to {until}."))
        title = f"Forecast: next {cadence.length(len(forecast.frame))}"
        show(forecast.frame, placing, title=title, cadence=cadence)
    else:
        show(chosen_table(fitted, forecast, applying.part), placing, title="", cadence=cadence)
    place(fitted, desk)
    if placing.figures is not None and fitted.available:
        desk.say(draw_fitted(fitted, forecast, placing.figures))
