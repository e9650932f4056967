"""The commands and their options. Heavy rooms are imported inside a command: `--help` must not wait for them."""

import shutil
import sys
import textwrap
import traceback
from pathlib import Path
from typing import Annotated

import typer

from veridex.cli.file_words import FileWords, read, read_whole, say, say_notes, takes_file
from veridex.cli.options import (
    As,
    Choose,
    Deterministic,
    DriverFiles,
    Duplicates,
    EngineName,
    EventsFile,
    Figures,
    Foreseen,
    Foresight,
    Form,
    Gaps,
    Happenings,
    Horizon,
    Intervals,
    KnownAhead,
    Levels,
    Methods,
    Negative,
    Origins,
    Outliers,
    Part,
    Rule,
    TidyWords,
    refuse_idle,
)
from veridex.errors import InputError

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
    from veridex.demo.run import run_demo

    width = min(shutil.get_terminal_size().columns, 100)
    run_demo(directory, lambda text: typer.echo(textwrap.fill(text, width, subsequent_indent="  ")))


@app.command()
@takes_file
def profile(words: FileWords, events: EventsFile = None, figures: Figures = None, form: As = Form.TABLE) -> None:
    """Show what is in a history, and what is wrong with it; of one item a page to read."""
    from veridex.cli.jobs import draw
    from veridex.cli.tables import show
    from veridex.cli.tidying import events_from, profile_for_show, unfinished_note
    from veridex.core.tidying.page import page
    from veridex.core.tidying.profile import profile_items
    from veridex.figures.history import draw_history

    history, item = read_whole(words)
    profiles = [one for one in profile_items(history, events_from(events)) if item is None or one.series.item == item]
    if len(profiles) == 1 and form is Form.TABLE:
        typer.echo(page(profiles[0]))
    else:
        title = f"{len(profiles)} items, {history.cadence.name}"
        show(profile_for_show(profiles, form.value), form.value, title=title)
        if note := unfinished_note(profiles):
            say(note)
    if figures is not None:
        by_item = {one.series.item: one for one in profiles}
        shown = history if item is None else history.only(item)
        say(draw(figures, shown, "history", lambda one: draw_history(by_item[one])))


@app.command()
@takes_file
def tidy(
    words: FileWords,
    gaps: Annotated[Gaps, typer.Option(help="What unknown demand becomes.")] = Gaps.UNKNOWN,
    duplicates: Annotated[
        Duplicates, typer.Option(help="What several rows of a period become in a table.")
    ] = Duplicates.SUM,
    outliers: Annotated[Outliers, typer.Option(help="What is done with outliers.")] = Outliers.FLAG,
    unfinished: Annotated[str, typer.Option(help="drop or keep a last period, or how many to drop.")] = "drop",
    negative: Annotated[Negative, typer.Option(help="What is done with negative demand.")] = Negative.KEEP,
    events: EventsFile = None,
    to: Annotated[Path | None, typer.Option(help="Directory for the clean history and the ledger.")] = None,
    figures: Figures = None,
    form: As = Form.TABLE,
) -> None:
    """Repair a history by stated rules, and list every repair."""
    from veridex.cli.jobs import draw
    from veridex.cli.tables import show
    from veridex.cli.tidying import events_from, number_or_word
    from veridex.core.tidying.profile import profile_items
    from veridex.core.tidying.tidy import tidy as room
    from veridex.exchange.forms.tidied import checked_tidied
    from veridex.exchange.writing import write
    from veridex.figures.history import draw_history

    if to is not None:
        checked_tidied(to)
    history, item = read_whole(words)
    happening = events_from(events)
    tidied = room(
        history,
        gaps=gaps.value,
        duplicates=duplicates.value,
        outliers=outliers.value,
        unfinished=number_or_word(unfinished),  # type: ignore[arg-type]
        negative=negative.value,
        events=happening,
    )
    say_notes(tidied.notes, item, words.notes)
    tidied = tidied if item is None else tidied.only(item)
    if len(tidied.ledger) or form is not Form.TABLE:
        title = f"Ledger: {len(tidied.ledger):,} entries"
        show(tidied.ledger, form.value, title=title, cadence=tidied.history.cadence)
    if to is not None:
        say(f"Written to {write(tidied, to)}.")
    if figures is not None:
        by_item = {one.series.item: one for one in profile_items(history, happening)}
        say(draw(figures, tidied.history, "tidied", lambda one: draw_history(by_item[one], tidied.history[one])))


@app.command()
@takes_file
def stationarity(
    words: FileWords,
    lags: Annotated[str | None, typer.Option(help="Lags of all tests, or automatic (default: by rule).")] = None,
    deterministic: Annotated[
        Deterministic, typer.Option(help="What it may be stationary around.")
    ] = Deterministic.LEVEL,
    significance: Annotated[float, typer.Option(help="Of all tests, in percent.")] = 5,
    choose: Annotated[Choose, typer.Option(help="How Dickey and Fuller's lags are chosen.")] = Choose.AIC,
    tidy: TidyWords = None,
    adjusted: Annotated[Path | None, typer.Option(help="CSV file for trend, season, adjusted series.")] = None,
    figures: Figures = None,
    form: As = Form.TABLE,
) -> None:
    """Test one series for a unit root, and advise transform, differences and orders."""
    from veridex.cli.diagnosis import diagnosed, draw_all, shown_steps, shown_tests, write_adjusted
    from veridex.cli.tables import show

    found = diagnosed(read(words, tidy), lags, deterministic.value, significance, choose.value)
    title = f"{found.finding.item}: stationarity"
    show(shown_tests(found, form.value), form.value, title=title)
    for line in shown_steps(found):
        typer.echo(line, err=form is not Form.TABLE)
    if adjusted is not None:
        say(write_adjusted(found, adjusted))
    if figures is not None:
        say(draw_all(found, figures))


@app.command()
@takes_file
def fit(
    words: FileWords,
    method: Annotated[list[str], typer.Option(help="The method, e.g. 'arima p=1 d=1'; several are compared.")],
    drivers: DriverFiles = None,
    known_ahead: KnownAhead = None,
    events: Happenings = None,
    foresight: Foreseen = Foresight.NONE,
    horizon: Horizon = 12,
    origins: Origins = 12,
    levels: Levels = "80,95",
    tidy: TidyWords = None,
    figures: Figures = None,
    part: Annotated[Part, typer.Option(help="Which part goes out with --as csv or json.")] = Part.COEFFICIENTS,
    form: As = Form.TABLE,
) -> None:
    """Fit a method to one series: words, equation, coefficients, residual audit, forecast. Several are compared."""
    from veridex.cli.comparing import comparison_table, show_comparison
    from veridex.cli.explaining import explaining_from
    from veridex.cli.fitting import chosen_table, compared, draw_fitted, fitted_and_forecast, show_page
    from veridex.cli.tables import show

    if len(method) > 1:
        because = "several methods are compared by errors and criteria, without a forecast"
        refuse_idle(because, figures=figures is not None, levels=levels != "80,95")
    else:
        refuse_idle("one method alone is not backtested by fit", origins=origins != 12)
    if form is Form.TABLE:
        refuse_idle("the page shows all parts; --as csv or json takes one", part=part is not Part.COEFFICIENTS)
    history = read(words, tidy)
    explaining = explaining_from(words, history, drivers, known_ahead, events, foresight.value)
    if len(method) > 1:
        comparison = compared(history, method, horizon, origins, explaining)
        if form is Form.TABLE:
            show_comparison(comparison)
        else:
            show(comparison_table(comparison, part.value), form.value, title="")
        return
    fitted, forecast = fitted_and_forecast(history, method[0], horizon, levels, explaining)
    if form is Form.TABLE:
        show_page(fitted, forecast)
    else:
        if fitted.reason:
            say(f"{fitted.series.item}, {fitted.method}: {fitted.reason}.")
        show(chosen_table(fitted, forecast, part.value), form.value, title="", cadence=fitted.series.cadence)
    if figures is not None and fitted.available:
        say(draw_fitted(fitted, forecast, figures))


@app.command()
@takes_file
def backtest(
    words: FileWords,
    methods: Methods = None,
    drivers: DriverFiles = None,
    known_ahead: KnownAhead = None,
    events: Happenings = None,
    foresight: Foreseen = Foresight.NONE,
    horizon: Horizon = 12,
    origins: Origins = 12,
    stride: Annotated[int, typer.Option(help="Periods from one origin to the next.")] = 1,
    window: Annotated[int | None, typer.Option(help="Fit on so many periods only (sliding).")] = None,
    first: Annotated[str | None, typer.Option(help="The first origin; the others follow it.")] = None,
    gap: Annotated[int, typer.Option(help="Periods between an origin and the first one tested.")] = 0,
    levels: Levels = "80,95",
    tidy: TidyWords = None,
    by: Annotated[
        str | None, typer.Option(help="Scores by these instead: method,step or item,method or phase …")
    ] = None,
    engine: Annotated[
        EngineName, typer.Option(help="Who does the work (auto: all cores for many items).")
    ] = EngineName.AUTO,
    checkpoint: Annotated[Path | None, typer.Option(help="Directory that lets a killed backtest resume.")] = None,
    to: Annotated[Path | None, typer.Option(help="Parquet file to write the trial to.")] = None,
    show_lineup: Annotated[
        bool, typer.Option("--show-lineup", help="Print the methods that would be entered.")
    ] = False,
    figures: Figures = None,
    form: As = Form.TABLE,
) -> None:
    """Roll the origin, and rank the methods by their errors."""
    from veridex.cli.backtesting import Tested, draw_trial, lineup_table, show_scores, tested
    from veridex.cli.explaining import explaining_from
    from veridex.cli.tables import show
    from veridex.exchange.places.addresses import checked_file
    from veridex.exchange.writing import write

    if to is not None:
        checked_file(to, (".parquet",), "a trial")
    history = read(words, tidy)
    if show_lineup:
        show(lineup_table(history, methods), form.value, title="Lineup")
        return
    explaining = explaining_from(words, history, drivers, known_ahead, events, foresight.value)
    how = Tested(horizon, origins, stride, window, first, gap, levels, engine.value, checkpoint)
    trial = tested(history, methods, how, explaining)
    for note in trial.notes:
        say(note)
    show_scores(trial, form.value, by)
    if to is not None:
        say(f"Written to {write(trial, to)}.")
    if figures is not None:
        say(draw_trial(trial, figures))


@app.command()
@takes_file
def tune(
    words: FileWords,
    method: Annotated[str, typer.Option(help="The method whose settings are tried.")],
    grid: Annotated[list[str], typer.Option(help="A setting and its values, as in window=2,3,4; several are crossed.")],
    measure: Annotated[str, typer.Option(help="mae, mse, rmse, wape, mase or rmsse.")] = "mae",
    drivers: DriverFiles = None,
    known_ahead: KnownAhead = None,
    events: Happenings = None,
    horizon: Horizon = 12,
    origins: Origins = 12,
    stride: Annotated[int, typer.Option(help="Periods from one origin to the next.")] = 1,
    tidy: TidyWords = None,
    figures: Figures = None,
    form: As = Form.TABLE,
) -> None:
    """Try settings of a method inside folds, and say what tuning really saved."""
    from veridex.cli.explaining import explaining_from
    from veridex.cli.tuning import draw_tuned, read_grid, show_tuning
    from veridex.core.backtest.schemes import RollingOrigin
    from veridex.front import tune as room

    history = read(words, tidy)
    explaining = explaining_from(words, history, drivers, known_ahead, events)
    scheme = RollingOrigin(horizon=horizon, origins=origins, stride=stride)
    given = {"drivers": explaining.drivers, "events": explaining.events}
    tuning = room(history, method, read_grid(grid), scheme, measure=measure, **given)  # type: ignore[arg-type]
    for note in tuning.trial.notes:
        say(note)
    show_tuning(tuning, form.value)
    if figures is not None:
        say(draw_tuned(tuning, figures))


@app.command()
@takes_file
def publish(
    words: FileWords,
    method: Annotated[list[str] | None, typer.Option(help="Your own choice for all items, without a backtest.")] = None,
    trial: Annotated[Path | None, typer.Option("--from", help="A trial that `backtest --to` has written.")] = None,
    rule: Annotated[Rule, typer.Option(help="How the trial decides.")] = Rule.BLEND,
    allowed: Annotated[str | None, typer.Option(help="Methods that may win, separated by commas.")] = None,
    target: Annotated[str | None, typer.Option(help="What is demanded, e.g. 'wape under 15'.")] = None,
    override: Annotated[
        list[str] | None, typer.Option(help="'ITEM: METHOD: REASON': your own choice for an item.")
    ] = None,
    drivers: DriverFiles = None,
    known_ahead: KnownAhead = None,
    events: Happenings = None,
    horizon: Annotated[str, typer.Option(help="Periods to forecast, or the last one, e.g. 2026-12.")] = "12",
    origins: Origins = 12,
    levels: Levels = "80,95",
    intervals: Annotated[Intervals | None, typer.Option(help="Which bounds (default: as the evidence allows).")] = None,
    quantiles: Annotated[str | None, typer.Option(help="One-sided, in percent, separated by commas.")] = None,
    groups: Annotated[str | None, typer.Option(help="Totals too: all, or key columns, separated by commas.")] = None,
    past: Annotated[str, typer.Option("--past", help="Periods of history in the table, or all.")] = "all",
    tidy: TidyWords = None,
    to: Annotated[Path | None, typer.Option(help="Directory to write the publication to.")] = None,
    figures: Figures = None,
    form: As = Form.TABLE,
) -> None:
    """Refit the winner of each item on its whole history, and forecast with intervals."""
    from veridex.cli.explaining import explaining_from
    from veridex.cli.published import show_publication
    from veridex.cli.publishing import Asked, Source, draw_published, made
    from veridex.exchange.forms.publications import checked_publication, standing
    from veridex.exchange.writing import write

    ruled = {"rule": rule is not Rule.BLEND, "allowed": allowed is not None, "target": target is not None}
    if method:
        refuse_idle("your own method is published, and nothing is decided", override=bool(override), **ruled)
        refuse_idle("your own method is published without a backtest", origins=origins != 12, from_=trial is not None)
        refuse_idle("one method is published for all items; --override chooses for one", method=len(method) > 1)
    elif trial is not None:
        refuse_idle("the trial has its origins already", origins=origins != 12)
    replaced = None if to is None else standing(checked_publication(to))
    history = read(words, tidy)
    explaining = explaining_from(words, history, drivers, known_ahead, events)
    source = Source(method[0] if method else None, trial, rule.value, allowed, target, tuple(override or ()), origins)
    asked = Asked(horizon, levels, intervals.value if intervals else None, quantiles, groups, past)
    found = made(history, source, asked, explaining)
    for note in found.notes:
        say(note)
    show_publication(found.publication, form.value)
    if to is not None:
        say(f"Written to {write(found.publication, to)}{f', in place of {replaced}' if replaced else ''}.")
    if figures is not None:
        say(draw_published(found, history, figures))


def run() -> None:
    """Run the command line: a wrong input is one message and exit code 2; only our faults have a traceback."""
    try:
        app()
    except InputError as error:
        say(f"veridex: {error}")
        sys.exit(2)
    except BrokenPipeError:
        sys.stderr.close()  # the reader of our output has gone; there is nobody to tell
        sys.exit(0)
    except Exception:
        traceback.print_exc()
        say("veridex: this is our fault, not yours. Please report it with the lines above.")
        sys.exit(1)
