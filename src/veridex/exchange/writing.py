"""`write`: one door for everything that goes into files."""

import json
from collections.abc import Callable
from pathlib import Path

import pandas as pd

from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.publication.publication import Publication
from veridex.core.tidying.ledger import ledger
from veridex.core.tidying.tidy import Tidied
from veridex.errors import DestinationRefused, ParameterError
from veridex.exchange.directories import write_directory
from veridex.exchange.publications import dated, write_publication
from veridex.exchange.trials import write_trial

__all__ = ["TIDIED_FILES", "write"]

HISTORY, LEDGER, RULES = TIDIED_FILES = ("history.csv", "ledger.csv", "rules.json")


def write(what: Publication | Trial | Tidied | History | ItemHistory, destination: str | Path) -> Path:
    """Write a publication, a trial, a tidied history or a history.

    Parameters
    ----------
    what : Publication, Trial, Tidied, History or ItemHistory
    destination : str or Path
        A directory for a publication (`publication.csv`, `totals.csv`, `ledger.csv`, `manifest.json`) and for a tidied
        history (`history.csv`, `ledger.csv`, `rules.json`): its files appear all at once or not at all; earlier ones
        are replaced, a directory that holds anything else is refused. A file ending in ``.csv`` or ``.parquet`` for a
        history, one ending in ``.parquet`` for a trial.

    Returns
    -------
    Path
        What was written.

    Raises
    ------
    DestinationRefused
        If the destination cannot be written, or holds something else.
    ParameterError
        If this cannot be written.
    """
    target = Path(destination)
    if isinstance(what, Publication):
        return write_publication(what, target)
    if isinstance(what, Trial):
        return write_trial(what, target)
    if isinstance(what, Tidied):
        return _write_tidied(what, target)
    if isinstance(what, (History, ItemHistory)):
        return _write_history(History.of([what]) if isinstance(what, ItemHistory) else what, target)
    raise ParameterError("what", repr(what), "a publication, a trial, a tidied history or a history can be written")


def _write_tidied(tidied: Tidied, target: Path) -> Path:
    cadence = tidied.history.cadence
    rules = {
        "cadence": cadence.name,
        "rules": tidied.history.rules.in_words() if tidied.history.rules else None,
        "done": list(tidied.notes),
        "read": list(tidied.history.notes),
    }
    writers: dict[str, Callable[[Path], None]] = {
        HISTORY: lambda path: _marked(tidied.history).to_csv(path, index=False, lineterminator="\n"),
        LEDGER: lambda path: dated(tidied.ledger, cadence).to_csv(path, index=False, lineterminator="\n"),
        RULES: lambda path: _write_json(path, rules),
    }
    return write_directory(target, writers)


def _write_json(path: Path, value: object) -> None:
    path.write_text(json.dumps(value, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")


def _marked(history: History) -> pd.DataFrame:
    """A history as a long table: item, period, demand; of a tidied one also the raw demand and what was marked."""
    table = history.to_frame()
    if history.raw is not None:
        found = ledger(history)
        marks = found.groupby(["item", "period"], sort=False)["what"].agg("; ".join).rename("mark").reset_index()
        table = table.merge(marks, on=["item", "period"], how="left") if len(marks) else table.assign(mark=None)
    return dated(table, history.cadence)


def _write_history(history: History, target: Path) -> Path:
    table = _marked(history)
    if target.is_dir() or target.suffix not in (".csv", ".parquet"):
        raise DestinationRefused(str(target), "a history goes into one file", "Name it with .csv or .parquet.")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        if target.suffix == ".csv":
            table.to_csv(target, index=False, lineterminator="\n")
        else:
            table.to_parquet(target, index=False)
    except OSError as problem:
        raise DestinationRefused(str(target), problem.strerror or str(problem), "Name another file.") from None
    return target
