"""The demo: write the order history of Larkmoor Apiary Supply, then do the whole job on it."""

import shutil
from collections.abc import Callable
from importlib.resources import as_file, files
from pathlib import Path

from veridex.core.backtest.schemes import RollingOrigin
from veridex.core.diagnosis.stationarity import stationarity
from veridex.core.methods.fitted import fit
from veridex.core.verdict.verdict import decide
from veridex.errors import DestinationRefused
from veridex.exchange.reading import read_history
from veridex.exchange.writing import write
from veridex.figures.contenders import draw_contenders
from veridex.figures.forecast import draw_forecast
from veridex.figures.style import save
from veridex.front import backtest, publish

__all__ = ["run_demo", "write_demo_data"]

SHOWN = "smoker-01"


def write_demo_data(directory: Path) -> Path:
    """Copy the packaged order history into a directory, which is made if need be.

    Raises
    ------
    DestinationRefused
        If the directory cannot be written.
    """
    try:
        directory.mkdir(parents=True, exist_ok=True)
        with as_file(files("veridex.demo") / "data" / "orders.csv") as packaged:
            return Path(shutil.copyfile(packaged, directory / "orders.csv"))
    except OSError as problem:
        raise DestinationRefused(str(directory), problem.strerror or str(problem), "Name another directory.") from None


def run_demo(directory: Path, say: Callable[[str], None]) -> None:
    """Do the whole job on the demo data, and say in a few lines what was done."""
    orders = write_demo_data(directory)
    history = read_history(orders, item="sku", period="order_date", demand="quantity", cadence="monthly", unit="units")
    say(f"Read {orders}: {len(history)} items, {len(history[SHOWN])} months.")
    for note in history.notes:
        say(f"  {note}")

    finding = stationarity(history[SHOWN])
    finding.table.to_csv(directory / "stationarity.csv", index=False, lineterminator="\n")
    say(f"Tested {finding.reading}")
    say(f"Fitted Holt-Winters to {SHOWN}: {fit(history[SHOWN], 'holt-winters season=additive').in_words()}")

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
    figures = directory / "figures"
    for item in history.names:
        save(draw_forecast(publication, item), figures / f"{item}-forecast.png")
    save(draw_contenders(verdict, SHOWN), figures / f"{SHOWN}-contenders.png")
    say(f"Published {len(publication.items)} items, 12 months ahead, in {directory / 'publication'}.")
    say(f"Standings and tests are in {directory}, {len(history) + 1} figures in {figures}.")
