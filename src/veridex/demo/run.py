"""The demo: run the plan of Larkmoor Apiary Supply, say what it brought and draw it."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from veridex import figures as views
from veridex.core.diagnosis.stationarity import stationarity
from veridex.core.readable import number
from veridex.demo.files import PLAN
from veridex.front import fit
from veridex.job.desk import Desk
from veridex.job.drawing import draw_named
from veridex.job.preparing import ALL, prepare
from veridex.plan.run import PlanRun
from veridex.plan.running import follow
from veridex.staged import replace_text

if TYPE_CHECKING:
    from matplotlib.figure import Figure

__all__ = ["run_demo"]

SHOWN = "smoker-01"


def run_demo(directory: Path, desk: Desk) -> None:
    """Run the plan that was written there, and show what it brought: the result, where it is, then the details."""
    plan = directory / PLAN
    prepare(ALL, desk)
    desk.say(f"Running the plan, as `veridex run {plan}` does: read, tidy, test, decide, publish, draw.")
    notes: list[str] = []
    run = follow(plan, replace(desk, say=notes.append))
    if run.publication is None:
        for line in run.lines():
            desk.say(line)
        return
    with desk.waiting() as show:
        show("Drawing")
        draw_named(directory / "figures", _figures(run))
        show("Testing one item, fitting one method")
        details = [*notes, *run.lines(), *_more(run, directory)]
    for line in (*_result(run, directory), "", "Details:", *details):
        desk.say(line)


def _result(run: PlanRun, directory: Path) -> list[str]:
    """What a planner wants first: what is expected, a picture of it, where the files are."""
    assert run.publication is not None
    ahead = run.publication.forecasts.query("item == @SHOWN")
    following, series = ahead.iloc[0], run.history[SHOWN]
    month = series.cadence.text(series.start + len(series))
    band = f"between {number(following['lower_80'])} and {number(following['upper_80'])} in 8 of 10 such months"
    return [
        f"{SHOWN}: {number(following['value'])} units are expected in {month}, {band}; "
        f"{number(ahead['value'].sum())} in the {len(ahead)} months from then.",
        f"Picture: {directory / 'figures' / f'{SHOWN}-forecast.png'}",
        f"Page to hand round: {directory / 'board.html'}",
        f"Files: forecasts in {directory / 'publication'}, figures in {directory / 'figures'}, "
        f"data, plan, standings and tests in {directory}.",
    ]


def _more(run: PlanRun, directory: Path) -> list[str]:
    """Standings, a test and a fit of one item, why its method won."""
    trial, verdict, series = run.trial, run.verdict, run.history[SHOWN]
    assert trial is not None
    assert verdict is not None
    standings, finding = trial.standings(), stationarity(series)
    for name, table in (("standings", standings), ("stationarity", finding.table)):
        replace_text(directory / f"{name}.csv", table.to_csv(index=False, lineterminator="\n"))
    first = standings.iloc[0]
    return [
        f"Tested {len(trial.lineup)} methods from up to {trial.store.extent.origins} origins, 12 months ahead: best "
        f"over all items is {first['method']}, mean MASE {first['mase']:.3f} on {first['n']:,} shared cells of "
        f"{first['items']} items.",
        finding.reading,
        f"Holt-Winters fitted to {SHOWN}: {fit(series, 'holt-winters season=additive').in_words()}",
        verdict.why(SHOWN),
    ]


def _figures(run: PlanRun) -> dict[str, Callable[[], "Figure"]]:
    """What is drawn, by the names of the files; the commands of the guide draw more."""
    publication, verdict = run.publication, run.verdict
    assert publication is not None
    assert verdict is not None
    return {
        f"{SHOWN}-forecast": lambda: views.forecast(publication, SHOWN),
        f"{SHOWN}-holdout": lambda: views.holdout(verdict, SHOWN),
        f"{SHOWN}-contenders": lambda: views.contenders(verdict, SHOWN),
        f"{SHOWN}-look": lambda: views.look(run.history[SHOWN]),
        "total": lambda: views.total(publication),
    }
