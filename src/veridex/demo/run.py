"""The demo: write the data and the plan of Larkmoor Apiary Supply, run the plan, and draw what it brought."""

import shutil
from collections.abc import Callable
from importlib.resources import as_file, files
from pathlib import Path
from typing import TYPE_CHECKING

from veridex import figures as views
from veridex.core.diagnosis.stationarity import stationarity
from veridex.core.tidying.profile import profile_items
from veridex.errors import DestinationRefused
from veridex.exchange.explaining import read_events
from veridex.front import fit
from veridex.job.desk import Desk
from veridex.job.drawing import draw_named
from veridex.plan.run import PlanRun
from veridex.plan.running import follow

if TYPE_CHECKING:
    from matplotlib.figure import Figure

__all__ = ["DATA", "PLAN", "run_demo", "write_demo_data"]

PLAN = "plan.toml"
DATA = (
    *("demand.csv", "orders.csv", "weekly.csv", "spares.csv", "stands.csv"),
    *("weather.csv", "prices.csv", "events.csv"),
)
SHOWN = "smoker-01"
DRAWN = (SHOWN, "fondant-12kg", "frames-plastic-10", "jar-honey-500", "suit-ventilated", "queen-cage")
LOOKED_AT = ("gloves-leather", "suit-ventilated", "smoker-02")


def write_demo_data(directory: Path) -> Path:
    """Copy the packaged files into a directory, which is made if need be.

    Raises
    ------
    DestinationRefused
        If the directory cannot be written.
    """
    try:
        directory.mkdir(parents=True, exist_ok=True)
        with as_file(files("veridex.demo") / "data") as packaged:
            for name in (*DATA, PLAN):
                shutil.copyfile(packaged / name, directory / name)
    except OSError as problem:
        raise DestinationRefused(str(directory), problem.strerror or str(problem), "Name another directory.") from None
    return directory


def run_demo(directory: Path, desk: Desk) -> None:
    """Write the data and the plan, run it, and say in a few lines what was done."""
    plan = write_demo_data(directory) / PLAN
    desk.say(f"Wrote the data of Larkmoor Apiary Supply and {plan}. Running it, as `veridex run {plan}` does:")
    run = follow(plan, desk)
    for line in run.lines():
        desk.say(line)
    if run.publication is None:
        return
    _tell_more(run, directory, desk)
    figures = _figures(run, directory)
    draw_named(directory / "figures", figures)
    desk.say(f"{len(figures)} figures are in {directory / 'figures'}, standings and tests in {directory}.")


def _tell_more(run: PlanRun, directory: Path, desk: Desk) -> None:
    """Standings, a test and a fit of one item, why its method won."""
    trial, verdict, series = run.trial, run.verdict, run.history[SHOWN]
    assert trial is not None
    assert verdict is not None
    standings, finding = trial.standings(), stationarity(series)
    standings.to_csv(directory / "standings.csv", index=False, lineterminator="\n")
    finding.table.to_csv(directory / "stationarity.csv", index=False, lineterminator="\n")
    first = standings.iloc[0]
    desk.say(
        f"Tested {len(trial.lineup)} methods from up to {trial.store.extent.origins} origins, 12 months ahead: best "
        f"over all items is {first['method']}, mean MASE {first['mase']:.3f} on {first['n']:,} shared cells of "
        f"{first['items']} items."
    )
    desk.say(finding.reading)
    desk.say(f"Holt-Winters fitted to {SHOWN}: {fit(series, 'holt-winters season=additive').in_words()}")
    desk.say(verdict.why(SHOWN))


def _figures(run: PlanRun, directory: Path) -> dict[str, Callable[[], "Figure"]]:
    """What is drawn, by the names of the files."""
    publication, trial, verdict, history = run.publication, run.trial, run.verdict, run.history
    assert publication is not None
    assert trial is not None
    assert verdict is not None
    events = read_events(directory / "events.csv")
    profiles = {one.series.item: one for one in profile_items(history.under(None), events)}

    def tidied(item: str) -> Callable[[], "Figure"]:
        return lambda: views.history(profiles[item], tidied=history[item], events=events)

    def forecast(item: str) -> Callable[[], "Figure"]:
        return lambda: views.forecast(publication, item)

    return {
        **{f"{item}-tidied": tidied(item) for item in LOOKED_AT},
        **{f"{item}-forecast": forecast(item) for item in DRAWN},
        f"{SHOWN}-look": lambda: views.look(history[SHOWN]),
        f"{SHOWN}-contenders": lambda: views.contenders(verdict, SHOWN),
        f"{SHOWN}-holdout": lambda: views.holdout(verdict, SHOWN),
        f"{SHOWN}-rolling": lambda: views.rolling(verdict, SHOWN),
        "standings": lambda: views.standings(trial),
        "coverage": lambda: views.coverage(verdict),
        "total": lambda: views.total(publication),
    }
