"""The commands and their options. Heavy rooms are imported inside a command: `--help` must not wait for them."""

import shutil
import sys
import textwrap
import traceback
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from veridex.cli.file_words import FileWords, read, say, takes_file
from veridex.errors import VeridexError

__all__ = ["app", "run"]

app = typer.Typer(
    name="veridex",
    help="Demand history in, a published forecast out, with intervals whose coverage was measured.",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"]},
)


class Form(StrEnum):
    """How a table goes to standard output."""

    TABLE = "table"
    CSV = "csv"
    JSON = "json"


class Deterministic(StrEnum):
    """What a series may be stationary around."""

    NONE = "none"
    LEVEL = "level"
    TREND = "trend"


As = Annotated[Form, typer.Option("--as", help="How the table goes to standard output.")]
Horizon = Annotated[int, typer.Option(help="Periods to forecast.")]
Origins = Annotated[int, typer.Option(help="Origins to roll over.")]
Methods = Annotated[str | None, typer.Option(help="Methods, separated by commas (default: the whole catalogue).")]
Levels = Annotated[str, typer.Option(help="Interval levels in percent, separated by commas.")]
Figures = Annotated[Path | None, typer.Option(help="Directory for figures.")]


@app.command()
def demo(
    directory: Annotated[Path, typer.Argument(help="Where to write it.")] = Path("veridex-demo"),
) -> None:
    """Write the demo data and run the whole job on it."""
    from veridex.demo.run import run_demo

    width = min(shutil.get_terminal_size().columns, 100)
    run_demo(directory, lambda text: typer.echo(textwrap.fill(text, width, subsequent_indent="  ")))


@app.command()
@takes_file
def stationarity(
    words: FileWords,
    lags: Annotated[int | None, typer.Option(help="Lags of both tests (default: chosen by rule).")] = None,
    deterministic: Annotated[
        Deterministic, typer.Option(help="What it may be stationary around.")
    ] = Deterministic.LEVEL,
    significance: Annotated[float, typer.Option(help="Of both tests, in percent.")] = 5,
    form: As = Form.TABLE,
) -> None:
    """Test one series for a unit root and for stationarity."""
    from veridex.cli.tables import show
    from veridex.core.diagnosis import stationarity as room

    history = read(words)
    finding = room.stationarity(history, lags=lags, deterministic=deterministic.value, significance=significance)
    show(finding.table, form.value, title=f"{finding.item}: stationarity", hide=("null", "n"))
    typer.echo(finding.reading, err=form is not Form.TABLE)


@app.command()
@takes_file
def backtest(
    words: FileWords,
    methods: Methods = None,
    horizon: Horizon = 12,
    origins: Origins = 12,
    levels: Levels = "80,95",
    figures: Figures = None,
    form: As = Form.TABLE,
) -> None:
    """Roll the origin, and rank the methods by their errors."""
    from veridex.cli.jobs import STANDINGS_CAPTION, backtest_with_progress, draw, standings_for_show
    from veridex.cli.tables import show
    from veridex.core.verdict.verdict import decide
    from veridex.figures.contenders import draw_contenders

    history = read(words)
    trial = backtest_with_progress(history, methods, horizon, origins, levels)
    for note in trial.notes:
        say(note)
    table, hidden = standings_for_show(trial, form.value)
    show(table, form.value, title=f"Standings, {trial.scheme.in_words()}", hide=hidden, caption=STANDINGS_CAPTION)
    if figures is not None:
        verdict = decide(trial)
        say(draw(figures, history, "contenders", lambda one: draw_contenders(verdict, one)))


@app.command()
@takes_file
def publish(
    words: FileWords,
    method: Annotated[str | None, typer.Option(help="Your own choice for all items, without a backtest.")] = None,
    horizon: Horizon = 12,
    origins: Origins = 12,
    levels: Levels = "80,95",
    to: Annotated[Path | None, typer.Option(help="Directory to write the publication to.")] = None,
    figures: Figures = None,
    form: As = Form.TABLE,
) -> None:
    """Refit the winner of each item on its whole history, and forecast with intervals."""
    from veridex.cli.jobs import draw, make, publication_for_show
    from veridex.cli.tables import show
    from veridex.exchange.publications import refuse_destination, write
    from veridex.figures.forecast import draw_forecast

    if to is not None:
        refuse_destination(to)
    history = read(words)
    publication, notes = make(history, method, horizon, origins, levels)
    for note in notes:
        say(note)
    table, title = publication_for_show(publication, form.value)
    show(table, form.value, title=title)
    if to is not None:
        say(f"Written to {write(publication, to)}.")
    if figures is not None:
        say(draw(figures, history, "forecast", lambda one: draw_forecast(publication, one)))


def run() -> None:
    """Run the command line; every error of ours is one message and exit code 2, never a traceback."""
    try:
        app()
    except VeridexError as error:
        say(f"veridex: {error}")
        sys.exit(2)
    except BrokenPipeError:
        sys.stderr.close()  # the reader of our output has gone; there is nobody to tell
        sys.exit(0)
    except Exception:
        traceback.print_exc()
        say("veridex: this is our fault, not yours. Please report it with the lines above.")
        sys.exit(1)
