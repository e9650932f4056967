"""The demo: write the data of Larkmoor Apiary Supply, then do the whole job on its monthly demand."""

import shutil
from collections.abc import Callable
from importlib.resources import as_file, files
from pathlib import Path

from veridex.core.backtest.schemes import RollingOrigin
from veridex.core.diagnosis.stationarity import stationarity
from veridex.core.fitted.fitted import fit
from veridex.core.history.events import Events
from veridex.core.history.history import History
from veridex.core.tidying.profile import profile_items
from veridex.core.tidying.tidy import Tidied, tidy
from veridex.core.verdict.verdict import decide
from veridex.errors import DestinationRefused
from veridex.exchange.explaining import read_events
from veridex.exchange.reading import read_history
from veridex.exchange.writing import write
from veridex.figures.contenders import draw_contenders
from veridex.figures.coverage import draw_coverage
from veridex.figures.forecast import draw_forecast
from veridex.figures.history import draw_history
from veridex.figures.standings import draw_standings
from veridex.figures.style import save
from veridex.front import backtest, publish

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


def run_demo(directory: Path, say: Callable[[str], None]) -> None:
    """Do the whole job on the demo data, and say in a few lines what was done."""
    data = write_demo_data(directory)
    events = read_events(data / "events.csv")
    raw = read_history(
        data / "demand.csv", item="sku", period="month", demand="units", stock_out="out_of_stock", unit="units"
    )
    say(f"Read {data / 'demand.csv'}: {len(raw)} items, {len(raw[SHOWN])} months.")
    for note in raw.notes:
        say(f"  {note}")
    figures = directory / "figures"
    tidied = _tidied(raw, events, directory, figures, say)
    history = tidied.history

    finding = stationarity(history[SHOWN])
    finding.table.to_csv(directory / "stationarity.csv", index=False, lineterminator="\n")
    say(f"Tested {finding.reading}")
    say(f"Fitted Holt-Winters to {SHOWN}: {fit(history[SHOWN], 'holt-winters season=additive').in_words()}")
    _forecast(history, directory, figures, say)


def _tidied(raw: History, events: Events, directory: Path, figures: Path, say: Callable[[str], None]) -> Tidied:
    """Profile and tidy: gaps are interpolated, outliers flagged, the unfinished month is left out."""
    profiles = {one.series.item: one for one in profile_items(raw, events)}
    tidied = tidy(raw, gaps="interpolate", outliers="flag", events=events)
    write(tidied, directory / "tidied")
    for item in LOOKED_AT:
        save(draw_history(profiles[item], tidied.history[item]), figures / f"{item}-tidied.png")
    say(f"Tidied it: every one of {len(tidied.ledger)} entries of the ledger is in {directory / 'tidied'}.")
    for note in tidied.notes:
        say(f"  {note}")
    return tidied


def _forecast(history: History, directory: Path, figures: Path, say: Callable[[str], None]) -> None:
    """Backtest, decide, publish, draw."""
    trial = backtest(history, scheme=RollingOrigin(horizon=12, origins=12))
    standings = trial.standings()
    standings.to_csv(directory / "standings.csv", index=False, lineterminator="\n")
    first = standings.iloc[0]
    say(
        f"Backtested {len(trial.lineup)} methods over up to 12 origins, 12 months ahead: best over all items is "
        f"{first['method']}, mean MASE {first['mase']:.3f} on {first['n']:,} shared cells of {first['items']} items."
    )
    for note in trial.notes:
        say(f"  {note}")
    verdict = decide(trial)
    say(verdict.why(SHOWN))
    publication = publish(history, verdict, horizon=12)
    write(publication, directory / "publication")
    for item in DRAWN:
        save(draw_forecast(publication, item), figures / f"{item}-forecast.png")
    save(draw_contenders(verdict, SHOWN), figures / f"{SHOWN}-contenders.png")
    save(draw_standings(trial), figures / "standings.png")
    save(draw_coverage(verdict), figures / "coverage.png")
    say(f"Published {len(publication.items)} items, 12 months ahead, in {directory / 'publication'}.")
    drawn = len(DRAWN) + len(LOOKED_AT) + 3
    say(f"Standings and tests are in {directory}, {drawn} figures in {figures}.")
