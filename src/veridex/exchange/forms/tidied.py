"""Tidied histories as directories, histories as single files; the reader knows its own files again."""

import io
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.history.history import History
from veridex.core.periods.cadence import Cadence
from veridex.core.tidying.ledger import ledger
from veridex.core.tidying.tidy import Tidied
from veridex.errors import FileUnreadable
from veridex.exchange.forms.histories import ARRAYS, about, arrays_of, note_entry, restored
from veridex.exchange.forms.publications import dated
from veridex.exchange.places.addresses import checked_directory, checked_file
from veridex.exchange.places.directories import Torn, read_directory, write_directory
from veridex.exchange.places.files import replace_file

__all__ = ["checked_tidied", "own_tidied", "write_history", "write_tidied"]

HISTORY, LEDGER, RULES = FILES = ("history.csv", "ledger.csv", "rules.json")
FORMAT = "veridex tidied history 2"
DEMAND = {"values": "demand"}
"""Columns that go by another name than the arrays they hold."""


def checked_tidied(destination: str | Path) -> Path:
    """The directory of a tidied history; raise `DestinationRefused` where none must be written."""
    return checked_directory(destination, set(FILES), "a tidied history")


def write_tidied(tidied: Tidied, destination: str | Path) -> Path:
    """Write `history.csv`, `ledger.csv` and `rules.json`: all at once or not at all."""
    history = tidied.history
    head = {
        "format": FORMAT,
        "rules": history.rules.in_words() if history.rules else None,
        "done": [note_entry(note) for note in tidied.notes],
        "history": about(history),
    }

    def table(frame: pd.DataFrame) -> Callable[[Path], None]:
        return lambda path: dated(frame, history.cadence).to_csv(path, index=False, lineterminator="\n")

    return write_directory(
        checked_tidied(destination),
        {
            HISTORY: table(_marked(history)),
            LEDGER: table(tidied.ledger),
            RULES: lambda path: _write_json(path, head),
        },
    )


def write_history(history: History, destination: str | Path) -> Path:
    """Write a history into one file that ends in ``.csv`` or ``.parquet``: whole or not at all."""
    target = checked_file(destination, (".csv", ".parquet"), "a history")
    table = dated(_marked(history), history.cadence)
    if target.suffix.lower() == ".csv":
        return replace_file(target, lambda path: table.to_csv(path, index=False, lineterminator="\n"))
    return replace_file(target, lambda path: table.to_parquet(path, index=False))


def own_tidied(source: str | Path) -> History | None:
    """The history that `vx.write` put there, raw values, marks and rules to the bit; None for any other file.

    Raises
    ------
    FileUnreadable
        If it is one of ours and was changed since it was written.
    """
    directory = _home_of(source)
    if directory is None:
        return None
    try:
        held = read_directory(directory, (HISTORY, RULES))
        head = json.loads(held[RULES])
    except Torn as problem:
        said = f"this tidied history was changed since it was written: {problem}"
        remedy = "Tidy the source again, or copy the table elsewhere and read it as your own."
        raise FileUnreadable(str(source), said, remedy) from None
    if head.get("format") != FORMAT:
        return None
    return _restored(head, pd.read_csv(io.BytesIO(held[HISTORY]), dtype=str, keep_default_na=False))


def _home_of(source: str | Path) -> Path | None:
    """The directory of a tidied history that a source names: itself, or its `history.csv`."""
    if "://" in str(source) or str(source) == "-":
        return None
    path = Path(source)
    directory = path if path.is_dir() else path.parent
    named = path.is_dir() or path.name == HISTORY
    return directory if named and (directory / RULES).is_file() and (directory / HISTORY).is_file() else None


def _restored(head: dict[str, Any], table: pd.DataFrame) -> History:
    cadence = Cadence.named(head["history"]["cadence"])
    names, firsts, sizes = np.unique(table["item"].to_numpy(dtype=str), return_index=True, return_counts=True)
    order = np.argsort(firsts)  # as the items stand in the file
    texts = table["period"].to_numpy()[firsts[order]]
    starts = np.array([cadence.period(text) for text in texts], dtype=np.int64)
    columns = {name: DEMAND.get(name, name) for name in ARRAYS}
    arrays = {name: _numbers(table[column]) if column in table else None for name, column in columns.items()}
    return restored(head["history"], tuple(names[order].tolist()), starts, sizes[order].astype(np.int64), arrays)


def _numbers(texts: "pd.Series[Any]") -> FloatArray:
    return np.array([float(text) if text else np.nan for text in texts], dtype=np.float64)


def _write_json(path: Path, value: object) -> None:
    path.write_text(json.dumps(value, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")


def _marked(history: History) -> pd.DataFrame:
    """A history as a long table: item, period, demand; of a tidied one raw demand, marks and the rest."""
    table = history.to_frame()
    if history.raw is not None:
        found = ledger(history)
        marks = found.groupby(["item", "period"], sort=False)["what"].agg("; ".join).rename("mark").reset_index()
        table = table.merge(marks, on=["item", "period"], how="left") if len(marks) else table.assign(mark=None)
    more = {name: array for name, array in arrays_of(history).items() if name not in ("values", "raw")}
    return table.assign(**{name: array for name, array in more.items() if array is not None})
