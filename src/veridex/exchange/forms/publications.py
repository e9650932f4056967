"""Publications as directories: written all or nothing, read back to the bit."""

import io
import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.calibration.bands import Bands, Wanted
from veridex.core.calibration.totals import Totals
from veridex.core.laws.laws import Laws
from veridex.core.laws.warp import Warp
from veridex.core.methods.catalogue import method as as_method
from veridex.core.periods.cadence import Cadence
from veridex.core.publication.dossier import GroupTotals, ItemPublication, Outlook
from veridex.core.publication.head import Planned
from veridex.core.publication.manifest import FORMAT, evidence_of, head_of
from veridex.core.publication.publication import Publication
from veridex.core.publication.tables import ITEM
from veridex.core.scoring.levels import level_label
from veridex.errors import PublicationUnreadable
from veridex.exchange.forms.laws import Place, laws_table, read_laws
from veridex.exchange.places.addresses import checked_directory
from veridex.exchange.places.directories import Torn, read_directory, write_directory

__all__ = ["checked_publication", "dated", "planned_at", "read_publication", "standing", "write_publication"]

TABLE, TOTALS, LAWS, LEDGER = "publication.csv", "totals.csv", "laws.csv", "ledger.csv"
MANIFEST = "manifest.json"
TABLES = (TABLE, TOTALS, LAWS, LEDGER)

NUMBERS = ("lower_", "upper_", "quantile_", "half_width_")


def write_publication(publication: Publication, destination: str | Path) -> Path:
    """Write a publication into a directory: the four tables and `manifest.json`.

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
            LAWS: lambda path: laws_table(publication).to_csv(path, index=False, lineterminator="\n"),
            LEDGER: table(publication.ledger),
            MANIFEST: lambda path: _write_text(path, manifest),
        },
    )


def checked_publication(destination: str | Path) -> Path:
    """The directory of a publication; raise `DestinationRefused` where none must be written."""
    return checked_directory(destination, {*TABLES, MANIFEST}, "a publication")


def standing(target: Path) -> str:
    """What a directory holds of an earlier publication, in words; empty where it holds none that can be read."""
    try:
        manifest = json.loads((target / MANIFEST).read_text(encoding="utf-8"))
        return f"the publication of {len(manifest['items'])} items made at {manifest['created']}"
    except (OSError, ValueError, KeyError, TypeError):
        return ""


def planned_at(target: str | Path) -> Planned | None:
    """The plan that a whole publication at a place followed; None where there is none, or none that can be read."""
    try:
        held = read_directory(Path(target), (MANIFEST, *TABLES))
        manifest = json.loads(held[MANIFEST])
        return Planned(**manifest["plan"]) if manifest.get("format") == FORMAT else None
    except (OSError, ValueError, KeyError, TypeError, AttributeError, Torn):
        return None


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
        held = read_directory(directory, (MANIFEST, *TABLES))
        manifest: dict[str, Any] = json.loads(held[MANIFEST])
        if manifest.get("format") != FORMAT:
            raise PublicationUnreadable(str(directory), f"its format is {manifest.get('format')!r}, not {FORMAT!r}")
        tables = {name: pd.read_csv(io.BytesIO(held[name]), dtype=str, keep_default_na=False) for name in TABLES}
    except Torn as problem:
        raise PublicationUnreadable(str(directory), f"it was changed since it was written: {problem}") from None
    except (OSError, ValueError, AttributeError) as problem:
        if isinstance(problem, PublicationUnreadable):
            raise
        raise PublicationUnreadable(str(directory), f"no publication can be read there ({problem})") from None
    try:
        return _publication(manifest, tables)
    except (KeyError, TypeError, ValueError, IndexError) as problem:
        raise PublicationUnreadable(str(directory), f"it is not what this version writes ({problem!r})") from None


def _publication(manifest: dict[str, Any], tables: dict[str, pd.DataFrame]) -> Publication:
    head = head_of(manifest)
    cadence, wanted = Cadence.named(head.demand.cadence), head.wanted
    frame, totals = (_typed_frame(tables[name], cadence) for name in (TABLE, TOTALS))
    rows = dict(iter(frame.groupby("item", sort=False)))
    summed = {(str(group), str(name)): own for (group, name), own in totals.groupby(["group", "name"], sort=False)}
    steps = {key: int(own["step"].max()) for key, own in summed.items()}
    read = _Read(summed, read_laws(tables[LAWS], steps), cadence, wanted)
    return Publication(
        head=head,
        published={
            item: _item(item, entry, rows.get(item, frame.iloc[:0]), read) for item, entry in manifest["items"].items()
        },
        groups=tuple(_group(entry, read) for entry in manifest["group_totals"]),
        ledger=_typed_ledger(tables[LEDGER], cadence),
    )


@dataclass(frozen=True, slots=True, eq=False)
class _Read:
    """What was read besides the table of forecasts."""

    totals: dict[tuple[str, str], pd.DataFrame]
    laws: dict[Place, tuple[Laws, tuple[Warp, ...]]]
    cadence: Cadence
    wanted: Wanted

    def total(self, group: str, name: str, said: dict[str, Any] | None) -> Totals | None:
        """A total, if there is one."""
        if said is None:
            return None
        rows = self.totals[group, name]
        laws, warps = self.laws.get(Place("total", group, name), (None, ()))
        missing = self.wanted.first - 1
        points = np.concatenate((np.full(missing, np.nan), rows["forecast"].to_numpy()))
        bands = _bands(rows, self.wanted, said["published"], missing)
        return Totals(points=points, bands=bands, laws=laws, warps=warps, reason=said["reason"])


def _item(item: str, entry: dict[str, Any], rows: pd.DataFrame, read: _Read) -> ItemPublication:
    """What is published for an item, from its rows and what the manifest says of it."""
    ahead = rows[rows["kind"] == "forecast"]
    method = None if entry["method"] is None else as_method(entry["method"])
    said = entry.get("intervals", {})
    outlooks = []
    if method is not None and len(ahead):
        for name, own in ahead.groupby("scenario", sort=False):
            laws, warps = read.laws.get(Place("forecast", ITEM, item, str(name)), (None, ()))
            numbers = (
                own["value"].to_numpy(),
                own["std_error"].to_numpy(),
                _bands(own, read.wanted, said["published"]),
            )
            outlooks.append(Outlook(*numbers, own["reason"].iloc[0], str(name), laws, warps))
    return ItemPublication(
        item=item,
        origin=read.cadence.period(entry["origin"]),
        past=rows["value"][rows["kind"] == "actual"].to_numpy(),
        method=method,
        decided=None if entry["decided"] is None else as_method(entry["decided"]),
        tested=_span(ahead),
        outlook=outlooks[0] if outlooks else None,
        scenarios=tuple(outlooks[1:]),
        totals=read.total(ITEM, item, said.get("totals")),
        **evidence_of(entry),
    )


def _group(entry: dict[str, Any], read: _Read) -> GroupTotals:
    """The totals of a group, from its rows and what the manifest says of it."""
    own = read.totals[entry["group"], entry["name"]]
    totals = read.total(entry["group"], entry["name"], entry)
    assert totals is not None
    return GroupTotals(
        group=entry["group"],
        name=entry["name"],
        items=int(own["items"].iloc[0]),
        origin=read.cadence.period(entry["origin"]),
        totals=totals,
        tested=_span(own),
    )


def _bands(rows: pd.DataFrame, wanted: Wanted, kind: str, missing: int = 0) -> Bands:
    """The bounds that stand in a table, after so many lead times without."""
    names = [f"{side}_{level_label(level)}" for side in ("lower", "upper") for level in wanted.levels]
    names += [f"quantile_{level_label(one)}" for one in wanted.quantiles]
    values = np.full((len(names), missing + len(rows)), np.nan)
    values[:, missing:] = [rows[name].to_numpy() for name in names]
    return Bands.of(values, wanted, kind)


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
