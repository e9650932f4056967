"""Publications as directories: written all or nothing, read back to the bit."""

import io
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.periods.cadence import Cadence
from veridex.core.publication.manifest import FORMAT
from veridex.core.publication.publication import Publication
from veridex.errors import PublicationUnreadable
from veridex.exchange.places.addresses import checked_directory
from veridex.exchange.places.directories import Torn, read_directory, write_directory

__all__ = ["checked_publication", "dated", "read_publication", "standing", "write_publication"]

TABLE, TOTALS, LEDGER, MANIFEST = "publication.csv", "totals.csv", "ledger.csv", "manifest.json"

NUMBERS = ("lower_", "upper_", "quantile_", "half_width_")


def write_publication(publication: Publication, destination: str | Path) -> Path:
    """Write a publication into a directory: `publication.csv`, `totals.csv`, `ledger.csv` and `manifest.json`.

    Raises
    ------
    DestinationRefused
        If the destination is no directory, holds other files, or cannot be written.
    """
    target = checked_publication(destination)
    manifest = json.dumps(publication.manifest, indent=1, ensure_ascii=False, allow_nan=False) + "\n"
    cadence = _cadence(publication.manifest)

    def table(frame: pd.DataFrame) -> Callable[[Path], None]:
        return lambda path: dated(frame, cadence).to_csv(path, index=False, lineterminator="\n")

    return write_directory(
        target,
        {
            TABLE: table(publication.frame),
            TOTALS: table(publication.totals),
            LEDGER: table(publication.ledger),
            MANIFEST: lambda path: _write_text(path, manifest),
        },
    )


def checked_publication(destination: str | Path) -> Path:
    """The directory of a publication; raise `DestinationRefused` where none must be written."""
    return checked_directory(destination, {TABLE, TOTALS, LEDGER, MANIFEST}, "a publication")


def standing(target: Path) -> str:
    """What a directory holds of an earlier publication, in words; empty where it holds none that can be read."""
    try:
        manifest = json.loads((target / MANIFEST).read_text(encoding="utf-8"))
        return f"the publication of {len(manifest['items'])} items made at {manifest['created']}"
    except (OSError, ValueError, KeyError, TypeError):
        return ""


def dated(table: pd.DataFrame, cadence: Cadence) -> pd.DataFrame:
    """A table as files hold it: periods as ISO text."""
    return table.assign(period=cadence.iso(table["period"].to_numpy()))


def _write_text(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8")


def _cadence(manifest: dict[str, Any]) -> Cadence:
    return Cadence.named(manifest["data"]["cadence"])


def read_publication(source: str | Path) -> Publication:
    """Read what `write` wrote; values come back to the bit.

    Raises
    ------
    PublicationUnreadable
        If the directory does not hold a publication of this version's format.
    """
    directory = Path(source)
    try:
        held = read_directory(directory, (MANIFEST, TABLE, TOTALS, LEDGER))
        manifest: dict[str, Any] = json.loads(held[MANIFEST])
        if manifest.get("format") != FORMAT:
            raise PublicationUnreadable(str(directory), f"its format is {manifest.get('format')!r}, not {FORMAT!r}")
        frame, totals, ledger = (
            pd.read_csv(io.BytesIO(held[name]), dtype=str, keep_default_na=False) for name in (TABLE, TOTALS, LEDGER)
        )
    except Torn as problem:
        raise PublicationUnreadable(str(directory), f"it was changed since it was written: {problem}") from None
    except (OSError, ValueError, AttributeError) as problem:
        if isinstance(problem, PublicationUnreadable):
            raise
        raise PublicationUnreadable(str(directory), f"no publication can be read there ({problem})") from None
    cadence = _cadence(manifest)
    return Publication(
        frame=_typed_frame(frame, cadence),
        manifest=manifest,
        ledger=_typed_ledger(ledger, cadence),
        totals=_typed_frame(totals, cadence),
    )


def _typed_frame(frame: pd.DataFrame, cadence: Cadence) -> pd.DataFrame:
    """Give the texts of a file their types back."""
    frame["period"] = _periods(frame["period"], cadence)
    frame["step"] = pd.Series([int(text) if text else pd.NA for text in frame["step"]], dtype="Int64")
    frame["tested"] = pd.Series([text == "True" if text else pd.NA for text in frame["tested"]], dtype="boolean")
    if "method" in frame:
        frame["method"] = frame["method"].where(frame["method"] != "", None)
    if "items" in frame:
        frame["items"] = frame["items"].astype(np.int64)
    for name in frame.columns:
        if name in ("value", "forecast", "std_error") or name.startswith(NUMBERS):
            frame[name] = _numbers(frame[name])
    return frame


def _typed_ledger(ledger: pd.DataFrame, cadence: Cadence) -> pd.DataFrame:
    return ledger.assign(
        period=_periods(ledger["period"], cadence),
        before=_numbers(ledger["before"]),
        after=_numbers(ledger["after"]),
    )


def _periods(texts: "pd.Series[Any]", cadence: Cadence) -> "pd.Series[Any]":
    return texts.astype(np.int64) if cadence.counted else texts.astype("datetime64[s]")


def _numbers(texts: "pd.Series[Any]") -> Any:
    """Numbers of texts; Python's own float reads every digit that was written."""
    return np.array([float(text) if text else np.nan for text in texts], dtype=np.float64)
