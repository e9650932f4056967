"""What `stationarity` shows: the tests, the advice as steps, the orders suggested, one figure."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pandas as pd
import typer

from veridex import figures
from veridex.cli.desk import desk_for
from veridex.cli.tables import folded, show
from veridex.core.diagnosis.breaks import breaks
from veridex.core.diagnosis.correlogram import Correlogram, of_values
from veridex.core.diagnosis.differencing import Advice, differencing
from veridex.core.diagnosis.seasons import seasons
from veridex.core.diagnosis.stationarity import Stationarity, stationarity
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.errors import ParameterError
from veridex.job.drawing import draw_named, file_name
from veridex.job.preparing import prepare
from veridex.job.reading import read
from veridex.job.requests import Diagnosing, Placing, Reading, Ruling

__all__ = ["run_stationarity"]


@dataclass(frozen=True, slots=True, eq=False)
class Diagnosed:
    """Everything about one series that the command shows."""

    series: ItemHistory
    finding: Stationarity
    advice: Advice
    bars: Correlogram


def run_stationarity(reading: Reading, diagnosing: Diagnosing, ruling: Ruling, placing: Placing) -> None:
    """Test one series, advise, and look at what the advice leaves."""
    desk = desk_for(placing)
    series = only_item(read(reading, ruling.tidy, desk))
    prepare(("diagnosis",), desk)
    found = diagnosed(series, diagnosing)
    show(shown_tests(found, placing.form), placing, title=f"{found.finding.item}: stationarity")
    for line in shown_steps(found):
        typer.echo(folded(line) if placing.form == "table" else line, err=placing.form != "table")
    if placing.figures is not None:
        desk.say(draw_all(found.series, diagnosing, placing.figures))


def diagnosed(series: ItemHistory, asked: Diagnosing) -> Diagnosed:
    """Test, advise, and look at the correlogram of what the advice leaves."""
    given = {"deterministic": asked.deterministic, "significance": asked.significance, "choose": asked.choose}
    how = {"transform": asked.transform or "none", "d": asked.d or 0, "D": asked.D or 0}
    finding = stationarity(series, _lags(asked.lags), **given, **how)  # type: ignore[arg-type]
    advice = differencing(series, asked.significance)
    bars = of_values(advice.values, series.item, series.season_length, asked.correlations, 0)
    return Diagnosed(series, finding, advice, bars)


def _lags(text: str | None) -> Any:
    if text is None or text == "automatic":
        return text
    if not text.isdigit():
        raise ParameterError("lags", repr(text), "it is a whole number from 0 on, or 'automatic'")
    return int(text)


def shown_tests(found: Diagnosed, form: str) -> pd.DataFrame:
    """The tests; people see one critical value, that nearest to the significance they stated."""
    table = found.finding.table
    if form != "table":
        return table
    stated = min((1, 5, 10), key=lambda level: abs(level - found.finding.significance))
    others = [f"critical_{level}" for level in (1, 5, 10) if level != stated]
    return table.drop(columns=[*others, "null", "n"])


def shown_steps(found: Diagnosed) -> list[str]:
    """The joint reading, the advice step by step, the orders suggested, the seasons and the breaks."""
    lines = [found.finding.reading, found.advice.reading]
    lines += [f"  {number}. {step.test}: {step.advice}." for number, step in enumerate(found.advice.steps, start=1)]
    if not found.advice.reason:
        lines.append(f"A method that follows it: {found.advice.method}.")
        lines.append(f"What is left: {found.bars.reading or found.bars.reason}")
    return [*lines, seasons(found.series).reading, breaks(found.series).reading]


def draw_all(series: ItemHistory, asked: Diagnosing, directory: Path) -> str:
    """Draw the one figure."""
    given = {"transform": asked.transform, "d": asked.d, "D": asked.D, "lags": asked.correlations}
    name = f"{file_name(series.item)}-stationarity"
    return draw_named(directory, {name: lambda: figures.stationarity(series, **given)})  # type: ignore[arg-type]
