"""Publications as directories: written all or nothing, read back to the bit."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.history.cadence import Cadence
from veridex.core.publication.manifest import FORMAT
from veridex.core.publication.publication import Publication
from veridex.errors import PublicationUnreadable
from veridex.exchange.directories import refuse_directory, write_directory

__all__ = ["read_publication", "refuse_destination", "write_publication"]

TABLE, TOTALS, LEDGER, MANIFEST = "publication.csv", "totals.csv", "ledger.csv", "manifest.json"

NUMBERS = ("lower_", "upper_", "quantile_", "half_width_")


def write_publication(publication: Publication, target: Path) -> Path:
    """Write a publication into a directory: `publication.csv`, `totals.csv`, `ledger.csv` and `manifest.json`.

    Raises
    ------
    DestinationRefused
        If the directory holds other files, or cannot be written.
    """
    manifest = json.dumps(publication.manifest, indent=1, ensure_ascii=False, allow_nan=False) + "\n"
    cadence = _cadence(publication.manifest)
    return write_directory(
        target,
        {
            TABLE: lambda path: dated(publication.frame, cadence).to_csv(path, index=False, lineterminator="\n"),
            TOTALS: lambda path: dated(publication.totals, cadence).to_csv(path, index=False, lineterminator="\n"),
            LEDGER: lambda path: dated(publication.ledger, cadence).to_csv(path, index=False, lineterminator="\n"),
            MANIFEST: lambda path: _write_text(path, manifest),
        },
    )


def refuse_destination(target: Path) -> None:
    """Raise `DestinationRefused` where a publication must not be written."""
    refuse_directory(target, {TABLE, TOTALS, LEDGER, MANIFEST})


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
        manifest: dict[str, Any] = json.loads((directory / MANIFEST).read_text(encoding="utf-8"))
        if manifest.get("format") != FORMAT:
            raise PublicationUnreadable(str(directory), f"its format is {manifest.get('format')!r}, not {FORMAT!r}")
        frame, totals, ledger = (
            pd.read_csv(directory / name, dtype=str, keep_default_na=False) for name in (TABLE, TOTALS, LEDGER)
        )
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
