"""What `stationarity` shows: the tests, the advice as steps, the orders suggested, one figure."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pandas as pd
import typer

from veridex.cli.desk import DESK
from veridex.cli.tables import show
from veridex.core.diagnosis.breaks import breaks
from veridex.core.diagnosis.correlogram import Correlogram, of_values
from veridex.core.diagnosis.decomposition import decompose
from veridex.core.diagnosis.differencing import Advice, differencing
from veridex.core.diagnosis.seasons import seasons
from veridex.core.diagnosis.stationarity import Stationarity, stationarity
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.errors import DestinationRefused, ParameterError
from veridex.figures.stationarity import draw_stationarity
from veridex.figures.style import save
from veridex.job.drawing import file_name
from veridex.job.reading import read
from veridex.job.requests import Diagnosing, Reading, Ruling, Telling

__all__ = ["run_stationarity"]


@dataclass(frozen=True, slots=True, eq=False)
class Diagnosed:
    """Everything about one series that the command shows."""

    series: ItemHistory
    finding: Stationarity
    advice: Advice
    bars: Correlogram


def run_stationarity(reading: Reading, diagnosing: Diagnosing, ruling: Ruling, telling: Telling) -> None:
    """Test one series, advise, and look at what the advice leaves."""
    found = diagnosed(only_item(read(reading, ruling.tidy, DESK)), diagnosing)
    show(shown_tests(found, telling.form), telling.form, title=f"{found.finding.item}: stationarity")
    for line in shown_steps(found):
        typer.echo(line, err=telling.form != "table")
    if diagnosing.adjusted is not None:
        DESK.say(write_adjusted(found, diagnosing.adjusted))
    if telling.figures is not None:
        DESK.say(draw_all(found, telling.figures))


def diagnosed(series: ItemHistory, asked: Diagnosing) -> Diagnosed:
    """Test, advise, and look at the correlogram of what the advice leaves."""
    given = {"deterministic": asked.deterministic, "significance": asked.significance, "choose": asked.choose}
    finding = stationarity(series, _lags(asked.lags), **given)  # type: ignore[arg-type]
    advice = differencing(series, asked.significance)
    bars = of_values(advice.values, series.item, series.season_length, None, 0)
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


def write_adjusted(found: Diagnosed, target: Path) -> str:
    """Write the decomposition with the adjusted series."""
    form: Any = "additive" if found.advice.transform == "none" else "multiplicative"
    parts = decompose(found.series, form=form)
    if parts.reason:
        raise ParameterError("adjusted", repr(str(target)), f"there is no decomposition: {parts.reason}")
    table = parts.to_frame()
    table["period"] = found.series.cadence.iso(table["period"].to_numpy())
    try:
        table.to_csv(target, index=False, lineterminator="\n")
    except OSError as problem:
        raise DestinationRefused(str(target), problem.strerror or str(problem), "Name another file.") from None
    strengths = ", ".join(f"{name} {value:.2f}" for name, value in parts.strengths.items())
    return f"Written to {target}: {form} parts by loess, strength of {strengths}."


def draw_all(found: Diagnosed, directory: Path) -> str:
    """Draw the one figure."""
    figure = draw_stationarity(found.series, found.finding, found.advice, found.bars)
    return f"1 figure: {save(figure, directory / f'{file_name(found.series.item)}-stationarity.png')}."
