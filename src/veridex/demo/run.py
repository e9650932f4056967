"""The demo: write the data of Larkmoor Apiary Supply, then do the whole job on its monthly demand."""

import shutil
from dataclasses import replace
from importlib.resources import as_file, files
from pathlib import Path

from veridex import figures as views
from veridex.core.diagnosis.stationarity import stationarity
from veridex.core.history.events import Events
from veridex.core.history.history import History
from veridex.core.preparation.regressors import Explanation
from veridex.core.tidying.profile import profile_items
from veridex.core.tidying.tidy import Tidied
from veridex.errors import DestinationRefused
from veridex.exchange.explaining import read_events
from veridex.exchange.writing import write
from veridex.front import fit
from veridex.job.desk import Desk, engine_of
from veridex.job.pipeline import decided, edition, released, values
from veridex.job.reading import read_whole, tidied_by
from veridex.job.requests import Deciding, Publishing, Reading, Testing, Tidying
from veridex.job.testing import backtested

__all__ = ["DATA", "run_demo", "write_demo_data"]

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
            for name in DATA:
                shutil.copyfile(packaged / name, directory / name)
    except OSError as problem:
        raise DestinationRefused(str(directory), problem.strerror or str(problem), "Name another directory.") from None
    return directory


def run_demo(directory: Path, desk: Desk) -> None:
    """Do the whole job on the demo data, and say in a few lines what was done."""
    data = write_demo_data(directory)
    events = read_events(data / "events.csv")
    words = {"item": "sku", "period": ("month",), "demand": "units", "stock_out": "out_of_stock", "unit": "units"}
    notes: list[str] = []
    raw = read_whole(Reading(file=str(data / "demand.csv"), **words), replace(desk, say=notes.append))  # type: ignore[arg-type]
    desk.say(f"Read {data / 'demand.csv'}: {len(raw)} items, {len(raw[SHOWN])} months.")
    for note in notes:
        desk.say(f"  {note}")
    figures = directory / "figures"
    tidied = _tidied(raw, events, directory, figures, desk)
    history = tidied.history

    finding = stationarity(history[SHOWN])
    finding.table.to_csv(directory / "stationarity.csv", index=False, lineterminator="\n")
    desk.say(f"Tested {finding.reading}")
    desk.say(f"Fitted Holt-Winters to {SHOWN}: {fit(history[SHOWN], 'holt-winters season=additive').in_words()}")
    _forecast(history, directory, figures, desk)


def _tidied(raw: History, events: Events, directory: Path, figures: Path, desk: Desk) -> Tidied:
    """Profile and tidy: gaps are interpolated, outliers flagged, the unfinished month is left out."""
    profiles = {one.series.item: one for one in profile_items(raw, events)}
    tidied = tidied_by(raw, Tidying(gaps="interpolate", outliers="flag"), events)
    write(tidied, directory / "tidied")
    for item in LOOKED_AT:
        drawn = views.history(profiles[item], tidied=tidied.history[item], events=events)
        views.save(drawn, figures / f"{item}-tidied.png")
    desk.say(f"Tidied it: every one of {len(tidied.ledger)} entries of the ledger is in {directory / 'tidied'}.")
    for note in tidied.notes:
        desk.say(f"  {note}")
    return tidied


def _forecast(history: History, directory: Path, figures: Path, desk: Desk) -> None:
    """Backtest, decide, publish, draw."""
    trial = backtested(history, Testing(horizon=12), Explanation(), desk)
    standings = trial.standings()
    standings.to_csv(directory / "standings.csv", index=False, lineterminator="\n")
    first = standings.iloc[0]
    desk.say(
        f"Backtested {len(trial.lineup)} methods over up to {trial.arrays.origins.shape[1]} origins, 12 months ahead: "
        f"best over all items is {first['method']}, mean MASE {first['mase']:.3f} on {first['n']:,} shared cells of "
        f"{first['items']} items."
    )
    for note in trial.notes:
        desk.say(f"  {note}")
    verdict = decided(trial, Deciding())
    desk.say(verdict.why(SHOWN))
    asked = edition(values(history, Publishing(horizon="12")), Explanation(), desk, tested=True)
    publication = released(history, verdict, asked, engine_of("auto", len(history)))
    write(publication, directory / "publication")
    for item in DRAWN:
        views.save(views.forecast(publication, item), figures / f"{item}-forecast.png")
    named = {
        f"{SHOWN}-look": views.look(history[SHOWN]),
        f"{SHOWN}-contenders": views.contenders(verdict, SHOWN),
        f"{SHOWN}-holdout": views.holdout(verdict, SHOWN),
        f"{SHOWN}-rolling": views.rolling(verdict, SHOWN),
        "standings": views.standings(trial),
        "coverage": views.coverage(verdict),
        "total": views.total(publication),
    }
    for name, figure in named.items():
        views.save(figure, figures / f"{name}.png")
    desk.say(f"Published {len(publication.items)} items, 12 months ahead, in {directory / 'publication'}.")
    drawn = len(DRAWN) + len(LOOKED_AT) + len(named)
    desk.say(f"Standings and tests are in {directory}, {drawn} figures in {figures}.")
