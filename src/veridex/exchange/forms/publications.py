"""Publications as directories: written all or nothing, read back to the bit."""

import io
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Wanted
from veridex.core.methods.catalogue import method as as_method
from veridex.core.periods.cadence import Cadence
from veridex.core.publication.dossier import GroupTotals, ItemPublication, Outlook
from veridex.core.publication.manifest import FORMAT, bands_of, evidence_of, head_of
from veridex.core.publication.publication import Publication
from veridex.core.publication.tables import ITEM
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
    cadence = publication.cadence

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
    try:
        return _publication(manifest, frame, totals, ledger)
    except (KeyError, TypeError, ValueError, IndexError) as problem:
        raise PublicationUnreadable(str(directory), f"it is not what this version writes ({problem!r})") from None


def _publication(
    manifest: dict[str, Any], frame: pd.DataFrame, totals: pd.DataFrame, ledger: pd.DataFrame
) -> Publication:
    head = head_of(manifest)
    cadence = Cadence.named(head.demand.cadence)
    frame, totals = _typed_frame(frame, cadence), _typed_frame(totals, cadence)
    rows = dict(iter(frame.groupby("item", sort=False)))
    summed = {(group, name): own for (group, name), own in totals.groupby(["group", "name"], sort=False)}
    items = {}
    for item, entry in manifest["items"].items():
        own = rows.get(item, frame.iloc[:0])
        items[item] = _item(item, entry, own, summed.get((ITEM, item)), cadence, head.wanted)
    return Publication(
        head=head,
        published=items,
        groups=tuple(_group(entry, summed, cadence, head.wanted) for entry in manifest["group_totals"]),
        ledger=_typed_ledger(ledger, cadence),
    )


def _item(
    item: str, entry: dict[str, Any], rows: pd.DataFrame, totals: pd.DataFrame | None, cadence: Cadence, wanted: Wanted
) -> ItemPublication:
    """What is published for an item, from its rows and what the manifest says of it."""
    ahead = rows[rows["kind"] == "forecast"]
    method = None if entry["method"] is None else as_method(entry["method"])
    outlooks = []
    if method is not None and len(ahead):
        for name, own in ahead.groupby("scenario", sort=False):
            bands = bands_of(entry["intervals"], *_bounds(own, wanted))
            numbers = (own["value"].to_numpy(), own["std_error"].to_numpy())
            outlooks.append(Outlook(*numbers, bands, own["reason"].iloc[0], str(name)))
    summed = entry.get("intervals", {}).get("totals")
    return ItemPublication(
        item=item,
        origin=cadence.period(entry["origin"]),
        past=rows["value"][rows["kind"] == "actual"].to_numpy(),
        method=method,
        decided=None if entry["decided"] is None else as_method(entry["decided"]),
        tested=_span(ahead),
        outlook=outlooks[0] if outlooks else None,
        scenarios=tuple(outlooks[1:]),
        totals=None if totals is None or summed is None else totals["forecast"].to_numpy(),
        total_bands=None if totals is None or summed is None else bands_of(summed, *_bounds(totals, wanted)),
        **evidence_of(entry),
    )


def _group(
    entry: dict[str, Any], summed: dict[tuple[Any, Any], pd.DataFrame], cadence: Cadence, wanted: Wanted
) -> GroupTotals:
    """The totals of a group, from its rows and what the manifest says of it."""
    own = summed[entry["group"], entry["name"]]
    return GroupTotals(
        group=entry["group"],
        name=entry["name"],
        items=int(own["items"].iloc[0]),
        origin=cadence.period(entry["origin"]),
        totals=own["forecast"].to_numpy(),
        bands=bands_of(entry, *_bounds(own, wanted)),
        tested=_span(own),
    )


def _bounds(rows: pd.DataFrame, wanted: Wanted) -> tuple[FloatArray, FloatArray]:
    """Bounds (all levels, steps) as far as a table has them: of a quantile it holds one side."""
    shape = (len(wanted.all_levels), len(rows))
    sides = np.full(shape, np.nan), np.full(shape, np.nan)
    columns = wanted.sides()
    for (side, place), name in columns.items():
        sides[side][place] = rows[name].to_numpy()
    return sides


def _span(rows: pd.DataFrame) -> range:
    """The lead times that were tested, from the first to the last."""
    steps = rows["step"][rows["tested"].fillna(False).astype(bool)]
    return range(int(steps.min()), int(steps.max()) + 1) if len(steps) else range(0)


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
