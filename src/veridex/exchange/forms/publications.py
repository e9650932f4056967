"""Publications as directories: written all or nothing, read back to the bit."""

import io
import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

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
from veridex.exchange.forms.laws import Place, laws_table, places, read_laws
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
    manifest = _json(publication.manifest)
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


def _json(manifest: dict[str, Any]) -> str:
    """A manifest as text that people can look through: what is said of an item stands on its line."""
    lines = []
    for key, value in manifest.items():
        if key == "items":
            items = (f"  {_line(item)}: {_line(said)}" for item, said in value.items())
            lines.append(f'"{key}": {{\n' + ",\n".join(items) + "\n }")
        else:
            lines.append(f'"{key}": {_line(value)}')
    return "{\n " + ",\n ".join(lines) + "\n}\n"


def _line(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False, allow_nan=False)


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
    ahead, beyond = _columns(frame), _columns(totals)
    nothing = _Rows.of(ahead, np.empty(0, dtype=np.int64))
    rows = {key[0]: _Rows.of(ahead, own) for key, own in places(frame, ["item"]).items()}
    summed = {(key[0], key[1]): _Rows.of(beyond, own) for key, own in places(totals, ["group", "name"]).items()}
    steps = {key: int(own["step"].max()) for key, own in summed.items()}
    read = _Read(summed, read_laws(tables[LAWS], steps), cadence, wanted)
    return Publication(
        head=head,
        published={
            item: _item(item, entry, rows.get(item, nothing), read) for item, entry in manifest["items"].items()
        },
        groups=tuple(_group(entry, read) for entry in manifest["group_totals"]),
        ledger=_typed_ledger(tables[LEDGER], cadence),
    )


@dataclass(frozen=True, slots=True, eq=False)
class _Read:
    """What was read besides the table of forecasts."""

    totals: dict[tuple[str, str], "_Rows"]
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
        points = np.concatenate((np.full(missing, np.nan), rows["forecast"]))
        bands = _bands(rows, self.wanted, said["published"], missing)
        return Totals(points=points, bands=bands, laws=laws, warps=warps, reason=said["reason"])


def _item(item: str, entry: dict[str, Any], rows: "_Rows", read: _Read) -> ItemPublication:
    """What is published for an item, from its rows and what the manifest says of it."""
    ahead = rows.where(rows["kind"] == "forecast")
    method = None if entry["method"] is None else as_method(entry["method"])
    said = entry.get("intervals", {})
    outlooks = []
    if method is not None and len(ahead):
        for name in dict.fromkeys(ahead["scenario"].tolist()):
            own = ahead.where(ahead["scenario"] == name)
            laws, warps = read.laws.get(Place("forecast", ITEM, item, str(name)), (None, ()))
            numbers = (
                own["value"],
                own["std_error"],
                _bands(own, read.wanted, said["published"]),
            )
            outlooks.append(Outlook(*numbers, str(own["reason"][0]), str(name), laws, warps))
    return ItemPublication(
        item=item,
        origin=read.cadence.period(entry["origin"]),
        past=rows["value"][rows["kind"] == "actual"],
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
        items=int(own["items"][0]),
        origin=read.cadence.period(entry["origin"]),
        totals=totals,
        tested=_span(own),
    )


def _bands(rows: "_Rows", wanted: Wanted, kind: str, missing: int = 0) -> Bands:
    """The bounds that stand in a table, after so many lead times without."""
    names = [f"{side}_{level_label(level)}" for side in ("lower", "upper") for level in wanted.levels]
    names += [f"quantile_{level_label(one)}" for one in wanted.quantiles]
    values = np.full((len(names), missing + len(rows)), np.nan)
    values[:, missing:] = [rows[name] for name in names]
    return Bands.of(values, wanted, kind)


def _span(rows: "_Rows") -> range:
    """The lead times that were tested, from the first to the last."""
    steps = rows["step"][rows["tested"]]
    return range(int(steps.min()), int(steps.max()) + 1) if len(steps) else range(0)


class _Rows:
    """Some rows of a table, column by column: thousands of small tables of pandas would take a minute."""

    def __init__(self, columns: Mapping[str, NDArray[Any]]) -> None:
        self._columns = columns

    @classmethod
    def of(cls, columns: Mapping[str, NDArray[Any]], rows: NDArray[Any]) -> "_Rows":
        """The rows at these places."""
        return cls({name: column[rows] for name, column in columns.items()})

    def __getitem__(self, name: str) -> NDArray[Any]:
        return self._columns[name]

    def __len__(self) -> int:
        return len(next(iter(self._columns.values())))

    def where(self, wanted: NDArray[Any]) -> "_Rows":
        """The rows at which something holds."""
        return _Rows.of(self._columns, np.flatnonzero(wanted))


def _columns(table: pd.DataFrame) -> dict[str, NDArray[Any]]:
    """The columns of a table as arrays; a lead time that is not told is none, and was not tested."""
    found = {str(name): table[name].to_numpy() for name in table.columns if name not in ("step", "tested")}
    found["step"] = table["step"].fillna(0).to_numpy(dtype=np.int64)
    found["tested"] = table["tested"].fillna(False).to_numpy(dtype=bool)
    return found


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
    return np.array([float(text) if text else np.nan for text in texts.tolist()], dtype=np.float64)
