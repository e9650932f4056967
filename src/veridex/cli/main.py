"""The commands. Heavy rooms are imported inside a command: `--help` must not wait for them."""

import shutil
import sys
import textwrap
import traceback
from dataclasses import replace
from pathlib import Path
from typing import Annotated

import typer

from veridex.cli.derive import takes
from veridex.errors import InputError
from veridex.job.requests import (
    Deciding,
    Diagnosing,
    Explaining,
    Fitting,
    Happening,
    Looking,
    Publishing,
    Reading,
    Ruling,
    Scoring,
    Telling,
    Testing,
    Tidying,
    Tuning,
)
from veridex.job.words import Stated

__all__ = ["app", "run"]

app = typer.Typer(
    name="veridex",
    help="Demand history in, a published forecast out, with intervals whose coverage was measured.",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"]},
)


@app.command()
def demo(
    directory: Annotated[Path, typer.Argument(help="Where to write it.")] = Path("veridex-demo"),
) -> None:
    """Write the demo data and run the whole job on it."""
    from veridex.cli.desk import DESK
    from veridex.demo.run import run_demo

    width = min(shutil.get_terminal_size().columns, 100)
    aloud = replace(DESK, say=lambda text: typer.echo(textwrap.fill(text, width, subsequent_indent="  ")))
    run_demo(directory, aloud)


@app.command()
@takes(telling="figures form")
def profile(reading: Reading, happening: Happening, telling: Telling) -> None:
    """Show what is in a history, and what is wrong with it; of one item a page to read."""
    from veridex.cli.profiling import run_profile

    run_profile(reading, happening, telling)


@app.command()
@takes()
def tidy(reading: Reading, tidying: Tidying, happening: Happening, telling: Telling) -> None:
    """Repair a history by stated rules, and list every repair."""
    from veridex.cli.tidying import run_tidy

    run_tidy(reading, tidying, happening, telling)


@app.command()
@takes(telling="figures form")
def look(reading: Reading, looking: Looking, happening: Happening, ruling: Ruling, telling: Telling) -> None:
    """Show what planners look at first: history, seasons and parts; write the seasonally adjusted series."""
    from veridex.cli.looking import run_look

    run_look(reading, looking, happening, ruling, telling)


@app.command()
@takes(telling="figures form")
def stationarity(reading: Reading, diagnosing: Diagnosing, ruling: Ruling, telling: Telling) -> None:
    """Test one series for a unit root, and advise transform, differences and orders."""
    from veridex.cli.diagnosis import run_stationarity

    run_stationarity(reading, diagnosing, ruling, telling)


@app.command()
@takes(testing="horizon origins levels", telling="figures form")
def fit(
    reading: Reading,
    fitting: Fitting,
    explaining: Explaining,
    testing: Testing,
    ruling: Ruling,
    telling: Telling,
    stated: Stated,
) -> None:
    """Fit a method to one series: words, equation, coefficients, residual audit, forecast. Several are compared."""
    from veridex.cli.fitting import run_fit

    run_fit(reading, fitting, explaining, testing, ruling, telling, stated)


@app.command()
@takes()
def backtest(
    reading: Reading,
    explaining: Explaining,
    testing: Testing,
    ruling: Ruling,
    scoring: Scoring,
    telling: Telling,
) -> None:
    """Roll the origin, and rank the methods by their errors."""
    from veridex.cli.backtesting import run_backtest

    run_backtest(reading, explaining, testing, ruling, scoring, telling)


@app.command()
@takes(testing="horizon origins stride", explaining="drivers known_ahead events", telling="figures form")
def tune(
    reading: Reading,
    tuning: Tuning,
    explaining: Explaining,
    testing: Testing,
    ruling: Ruling,
    telling: Telling,
) -> None:
    """Try settings of a method inside folds, and say what tuning really saved."""
    from veridex.cli.tuning import run_tune

    run_tune(reading, tuning, explaining, testing, ruling, telling)


@app.command()
@takes(testing="origins", explaining="drivers known_ahead events")
def publish(
    reading: Reading,
    publishing: Publishing,
    deciding: Deciding,
    explaining: Explaining,
    testing: Testing,
    ruling: Ruling,
    telling: Telling,
    stated: Stated,
) -> None:
    """Refit the winner of each item on its whole history, and forecast with intervals."""
    from veridex.cli.publishing import run_publish

    run_publish(reading, publishing, deciding, explaining, testing, ruling, telling, stated)


def run() -> None:
    """Run the command line: a wrong input is one message and exit code 2; only our faults have a traceback."""
    try:
        app()
    except InputError as error:
        typer.echo(f"veridex: {error}", err=True)
        sys.exit(2)
    except BrokenPipeError:
        sys.stderr.close()  # the reader of our output has gone; there is nobody to tell
        sys.exit(0)
    except Exception:
        traceback.print_exc()
        typer.echo("veridex: this is our fault, not yours. Please report it with the lines above.", err=True)
        sys.exit(1)
