"""The commands. Heavy rooms are imported inside a command: `--help` must not wait for them."""

from pathlib import Path
from typing import Annotated

import typer

from veridex.cli.derive import Grouped, takes
from veridex.exchange.missing import refuse_missing
from veridex.job.requests import (
    Applying,
    Boarding,
    Campaigning,
    Controlling,
    Deciding,
    Diagnosing,
    Driving,
    Fitting,
    Happening,
    Looking,
    Placing,
    Planning,
    Published,
    Publishing,
    Reading,
    Ruling,
    Running,
    Scoring,
    Telling,
    Testing,
    Tidying,
    Tracking,
    Tuning,
    Watching,
)
from veridex.job.words import Stated
from veridex.version import VERSION

__all__ = ["app"]

app = typer.Typer(
    name="veridex",
    help="Demand history in, a published forecast out, with intervals whose coverage was measured.",
    no_args_is_help=True,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"]},
)


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"veridex {VERSION}")
        raise typer.Exit


@app.callback()
def about(
    version: Annotated[
        bool, typer.Option("--version", help="Say which version this is.", callback=_version, is_eager=True)
    ] = False,
) -> None:
    """Demand history in, a published forecast out, with intervals whose coverage was measured."""


@app.command()
def demo(
    directory: Annotated[Path, typer.Argument(help="Where to write it.")] = Path("veridex-demo"),
) -> None:
    """Write the demo data and its plan, and run it."""
    from veridex.cli.demonstrating import run_demonstration

    run_demonstration(directory)


@app.command()
def prepare() -> None:
    """Compile everything for this machine now; otherwise each part is, once, when it is first needed."""
    from veridex.cli.preparing import run_prepare

    run_prepare()


@app.command(cls=Grouped)
@takes(placing="figures form wide quiet")
def profile(reading: Reading, placing: Placing, happening: Happening) -> None:
    """Show what is in a history, and what is wrong with it; of one item a page to read."""
    from veridex.cli.profiling import run_profile

    run_profile(reading, happening, placing)


@app.command(cls=Grouped)
@takes()
def tidy(reading: Reading, tidying: Tidying, placing: Placing, happening: Happening) -> None:
    """Repair a history by stated rules, and list every repair."""
    from veridex.cli.tidying import run_tidy

    run_tidy(reading, tidying, happening, placing)


@app.command(cls=Grouped)
@takes(placing="figures form wide quiet")
def look(reading: Reading, looking: Looking, placing: Placing, happening: Happening, ruling: Ruling) -> None:
    """Show what planners look at first: history, seasons and parts; write the seasonally adjusted series."""
    from veridex.cli.looking import run_look

    run_look(reading, looking, happening, ruling, placing)


@app.command(cls=Grouped)
@takes(placing="figures form wide quiet")
def stationarity(reading: Reading, diagnosing: Diagnosing, placing: Placing, ruling: Ruling) -> None:
    """Test one series for a unit root, and advise transform, differences and orders."""
    from veridex.cli.diagnosis import run_stationarity

    run_stationarity(reading, diagnosing, ruling, placing)


@app.command(cls=Grouped)
@takes(testing="scheme horizon origins levels", driving="drivers known_ahead working_days tidy_drivers foresight")
def fit(
    reading: Reading,
    fitting: Fitting,
    testing: Testing,
    placing: Placing,
    driving: Driving,
    happening: Happening,
    ruling: Ruling,
    stated: Stated,
) -> None:
    """Fit a method to one series: words, equation, coefficients, residual audit, forecast. Several are compared."""
    from veridex.cli.fitting import run_fit

    run_fit(reading, fitting, driving, happening, testing, ruling, placing, stated)


@app.command("apply", cls=Grouped)
@takes(testing="horizon levels", driving="drivers known_ahead working_days tidy_drivers")
def apply_fitted(
    applying: Applying,
    reading: Reading,
    testing: Testing,
    placing: Placing,
    driving: Driving,
    happening: Happening,
    ruling: Ruling,
    stated: Stated,
) -> None:
    """Carry a fitted method over to newer demand, nothing estimated anew, and forecast."""
    refuse_missing(applying.model)
    from veridex.cli.applying import run_apply

    if placing.form == "table":
        stated.refuse("the page shows the forecast; --as csv or json takes a part", "part")
    run_apply(applying, reading, driving, happening, testing, ruling, placing)


@app.command(cls=Grouped)
@takes(driving="drivers known_ahead working_days tidy_drivers foresight")
def backtest(
    reading: Reading,
    testing: Testing,
    scoring: Scoring,
    placing: Placing,
    driving: Driving,
    happening: Happening,
    ruling: Ruling,
) -> None:
    """Roll the origin, and rank the methods by their errors."""
    from veridex.cli.backtesting import run_backtest

    run_backtest(reading, driving, happening, testing, ruling, scoring, placing)


@app.command(cls=Grouped)
@takes(
    testing="scheme horizon origins stride engine",
    driving="drivers known_ahead working_days tidy_drivers",
    placing="figures form wide quiet",
)
def tune(
    reading: Reading,
    tuning: Tuning,
    testing: Testing,
    placing: Placing,
    driving: Driving,
    happening: Happening,
    ruling: Ruling,
) -> None:
    """Try settings of a method inside folds, and say what tuning really saved."""
    from veridex.cli.tuning import run_tune

    run_tune(reading, tuning, driving, happening, testing, ruling, placing)


@app.command(cls=Grouped)
@takes(
    testing="methods scheme origins search_every refit_every engine",
    driving="drivers known_ahead working_days tidy_drivers scenarios",
)
def publish(
    reading: Reading,
    publishing: Publishing,
    placing: Placing,
    deciding: Deciding,
    testing: Testing,
    driving: Driving,
    happening: Happening,
    ruling: Ruling,
    stated: Stated,
) -> None:
    """Refit the winner of each item on its whole history, and forecast with intervals."""
    from veridex.cli.publishing import run_publish

    raise typer.Exit(run_publish(reading, publishing, deciding, driving, happening, testing, ruling, placing, stated))


@app.command(cls=Grouped)
@takes(
    testing="methods engine",
    driving="drivers known_ahead working_days tidy_drivers",
    placing="form wide quiet figures",
)
def control(
    reading: Reading,
    controlling: Controlling,
    placing: Placing,
    testing: Testing,
    driving: Driving,
    happening: Happening,
    ruling: Ruling,
) -> None:
    """Say what a period's figures should have been, which to look into, and what may have happened."""
    from veridex.cli.controlling import run_control

    raise typer.Exit(run_control(reading, controlling, testing, driving, happening, ruling, placing))


@app.command(cls=Grouped)
@takes(
    testing="methods origins engine",
    driving="drivers known_ahead working_days tidy_drivers",
    placing="form wide quiet figures",
)
def campaign(
    reading: Reading,
    campaigning: Campaigning,
    placing: Placing,
    testing: Testing,
    driving: Driving,
    happening: Happening,
    ruling: Ruling,
) -> None:
    """Say what a campaign added where nobody was left out of it, and how often nothing adds as much."""
    from veridex.cli.campaigning import run_campaign

    run_campaign(reading, campaigning, testing, driving, happening, ruling, placing)


@app.command("watch", cls=Grouped)
@takes(placing="form wide quiet figures")
def watch_published(
    published: Published, reading: Reading, watching: Watching, placing: Placing, ruling: Ruling
) -> None:
    """Hold a publication against what came since: alerts, what happened, totals so far (exit code 3 with alerts)."""
    from veridex.cli.watching import run_watch

    raise typer.Exit(run_watch(published, watching, reading, ruling, placing))


@app.command(cls=Grouped)
@takes(driving="drivers known_ahead working_days tidy_drivers", placing="form wide quiet figures")
def record(
    tracking: Tracking,
    reading: Reading,
    placing: Placing,
    driving: Driving,
    happening: Happening,
    ruling: Ruling,
    stated: Stated,
) -> None:
    """Hold everything that was published against what came: errors, value added, coverage, changes of methods."""
    from veridex.cli.tracking import run_record

    if tracking.part not in ("page", "scores"):
        stated.refuse("only errors are grouped: --part scores", "by")
    run_record(tracking, reading, driving, happening, ruling, placing)


@app.command(cls=Grouped)
@takes()
def board(boarding: Boarding) -> None:
    """Write one page to hand round: all items, each item, the portfolio; opened in any browser, without a network."""
    from veridex.cli.boarding import run_board

    run_board(boarding)


@app.command(cls=Grouped)
@takes(
    publishing="method horizon levels intervals quantiles totals_from groups past board",
    telling="on webhook mail_to mail_from mail_server mail_security mail_user mail_password",
    testing="methods scheme origins search_every refit_every engine",
)
def plan(
    reading: Reading,
    planning: Planning,
    publishing: Publishing,
    deciding: Deciding,
    testing: Testing,
    driving: Driving,
    happening: Happening,
    ruling: Ruling,
    watching: Watching,
    telling: Telling,
    stated: Stated,
) -> None:
    """Write down as a plan what the words of a call say; every command takes the plan for FILE."""
    from veridex.cli.planning import run_plan_words

    said = (reading, publishing, driving, happening, watching, telling)
    run_plan_words(planning, said, testing, deciding, ruling, stated)


@app.command("run", cls=Grouped)
@takes()
def run_the_plan(running: Running) -> None:
    """Do what a plan says: read, test, decide, publish, watch, tell. Made to run unattended."""
    refuse_missing(running.plan)
    from veridex.cli.running import run_plan_file

    raise typer.Exit(run_plan_file(running))
