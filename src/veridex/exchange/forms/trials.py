"""Trials in one Parquet file: a row per fold, the history and what else is needed as rows and metadata."""

import hashlib
import json
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from pyarrow import parquet

from veridex.core.backtest.folds import FoldArrays
from veridex.core.backtest.pace import Pace
from veridex.core.backtest.schemes import Holdout, RollingOrigin
from veridex.core.backtest.store import MemoryStore
from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.methods.catalogue import method
from veridex.errors import TrialUnreadable
from veridex.exchange.forms.histories import ARRAYS, about, arrays_of, note_entry, note_of, restored
from veridex.exchange.places.addresses import checked_file
from veridex.exchange.places.files import replace_file

__all__ = ["read_trial", "write_trial"]

FORMAT = "veridex trial 8"
KEY, SEAL = b"veridex", b"seal"
FOLDS, ORIGINS, ITEMS = "fold", "origin", "item"
PER_FOLD = ("points", "std_error", "laws", "transforms", "chances", "training")
PLAIN = ("status", "parameters", "criteria", "forms", "seconds")
SCHEMES = {"RollingOrigin": RollingOrigin, "Holdout": Holdout}


def write_trial(trial: Trial, destination: str | Path) -> Path:
    """Write a trial into one file that ends in ``.parquet``: whole or not at all, sealed by checksums."""
    target = checked_file(destination, (".parquet",), "a trial")
    parts = [rows for k, one in enumerate((trial, *trial.cuts)) for rows in _tables(one, k)]
    table = pa.concat_tables(parts, promote_options="default")
    head = json.dumps(_head(trial), ensure_ascii=False).encode()
    table = table.replace_schema_metadata({KEY: head, SEAL: _seal(head)})
    return replace_file(
        target, lambda path: parquet.write_table(table, path, compression="zstd", write_page_checksum=True)
    )


def _seal(head: bytes) -> bytes:
    return hashlib.sha256(head).hexdigest().encode()


def read_trial(source: str | Path) -> Trial:
    """Read a trial that `vx.write` has written: the same results to the bit.

    Raises
    ------
    TrialUnreadable
        If there is no such file, it holds no trial of this version, or it is not what was written.
    """
    path = Path(source)
    try:
        table = parquet.read_table(path, page_checksum_verification=True)
        said = table.schema.metadata or {}
        head = json.loads(said.get(KEY, b"{}"))
    except (OSError, ValueError, pa.ArrowException) as problem:
        raise TrialUnreadable(str(source), str(problem).partition("\n")[0]) from None
    if head.get("format") != FORMAT:
        raise TrialUnreadable(str(source), f"it is no trial that this version reads ({FORMAT!r})")
    if said.get(SEAL) != _seal(said[KEY]):
        raise TrialUnreadable(str(source), "it is not what was written: its head was changed")
    try:
        return _trial(head, table)
    except (KeyError, TypeError, ValueError) as problem:
        raise TrialUnreadable(str(source), f"it is not what was written ({problem})") from None


def _tables(trial: Trial, part: int) -> list[pa.Table]:
    """The rows of a trial, or of a cut one behind it."""
    tables = [_fold_rows(trial), _origin_rows(trial), _item_rows(trial)]
    return [rows.append_column("part", pa.array([part] * len(rows), type=pa.int32())) for rows in tables]


def _trial(head: dict[str, Any], table: pa.Table, part: int = 0) -> Trial:
    kinds, own = table["kind"].to_numpy(), table["part"].to_numpy() == part
    parts = {kind: table.filter(pa.array(own & (kinds == kind))) for kind in (FOLDS, ORIGINS, ITEMS)}
    return Trial(
        history=_history(head, parts[ITEMS]),
        lineup=tuple(method(text) for text in head["lineup"]),
        added=tuple(method(text) for text in head["added"]),
        scheme=SCHEMES[head["scheme"]["kind"]](**head["scheme"]["settings"]),
        levels=tuple(head["levels"]),
        notes=tuple(note_of(note) for note in head["notes"]),
        perfect=head["perfect"],
        driven=head["driven"],
        pace=Pace(**head["pace"]),
        store=_store(head, parts),
        cuts=tuple(_trial(cut, table, k) for k, cut in enumerate(head["cuts"], start=1)),
    )


def _head(trial: Trial) -> dict[str, Any]:
    """Everything that is not an array."""
    return {
        "format": FORMAT,
        "lineup": [one.text for one in trial.lineup],
        "added": [one.text for one in trial.added],
        "scheme": {"kind": type(trial.scheme).__name__, "settings": asdict(trial.scheme)},  # type: ignore[call-overload]
        "levels": list(trial.levels),
        "notes": [note_entry(note) for note in trial.notes],
        "perfect": trial.perfect,
        "driven": trial.driven,
        "pace": asdict(trial.pace),
        "shape": list(trial.arrays.points.shape),
        "components": int(trial.arrays.laws.shape[-2]),
        "keep": trial.arrays.keep,
        "history": about(trial.history),
        "cuts": [_head(cut) for cut in trial.cuts],
    }


def _lists(array: np.ndarray) -> pa.Array:
    """Rows of an array as lists."""
    rows = array.reshape(array.shape[0], -1)
    offsets = np.arange(rows.shape[0] + 1, dtype=np.int64) * rows.shape[1]
    return pa.LargeListArray.from_arrays(pa.array(offsets), pa.array(np.ascontiguousarray(rows).ravel()))


def _fold_rows(trial: Trial) -> pa.Table:
    a = trial.arrays
    count = int(np.prod(a.status.shape))
    columns = {name: _lists(getattr(a, name).reshape(count, -1)) for name in PER_FOLD}
    plain = {name: pa.array(getattr(a, name).ravel()) for name in PLAIN}
    return pa.table({"kind": pa.array([FOLDS] * count), **plain, **columns})


def _origin_rows(trial: Trial) -> pa.Table:
    a = trial.arrays
    count = int(np.prod(a.origins.shape))
    lists = {"actuals": _lists(a.actuals.reshape(count, -1)), "scales": _lists(a.scales.reshape(count, -1))}
    lists["supports"] = _lists(a.supports.reshape(count, -1))
    plain = {name: pa.array(getattr(a, name).ravel()) for name in ("origins", "clarity")}
    return pa.table({"kind": pa.array([ORIGINS] * count), **plain, **lists})


def _item_rows(trial: Trial) -> pa.Table:
    """An item per row: its key, first period, demand, and raw demand where it was tidied."""
    history = trial.history
    bounds = list(zip(history.offsets[:-1].tolist(), history.offsets[1:].tolist(), strict=True))

    def lists(values: np.ndarray | None) -> pa.Array:
        return pa.array([None if values is None else values[a:b] for a, b in bounds], type=pa.large_list(pa.float64()))

    columns = {name: lists(array) for name, array in arrays_of(history).items()}
    kinds, names = pa.array([ITEMS] * len(history)), pa.array(history.names)
    said = {"start": pa.array(history.starts), "keys": pa.array([list(one.keys) for one in trial])}
    return pa.table({"kind": kinds, "name": names, **said, **columns})


def _history(head: dict[str, Any], table: pa.Table) -> History:
    def whole(name: str) -> np.ndarray | None:
        column = table[name]
        if column.null_count:
            return None
        return np.concatenate([np.asarray(one.values, dtype=np.float64) for one in column])

    return restored(
        head["history"],
        tuple(table["name"].to_pylist()),
        np.array(table["start"].to_numpy(), dtype=np.int64),
        np.array([len(values) for values in table["values"]], dtype=np.int64),
        {name: whole(name) for name in ARRAYS},
    )


def _store(head: dict[str, Any], parts: dict[str, pa.Table]) -> MemoryStore:
    items, methods, tested, horizon = head["shape"]
    wanted = FoldArrays.empty((items, methods, tested), head["components"], horizon, head["keep"])
    found = {}
    for name, empty in wanted.items():
        column = parts[FOLDS if name in (*PER_FOLD, *PLAIN) else ORIGINS][name].combine_chunks()
        flat = column.values if pa.types.is_large_list(column.type) else column
        found[name] = np.array(flat.to_numpy(zero_copy_only=False), dtype=empty.dtype).reshape(empty.shape)
    names, keys = parts[ITEMS]["name"].to_pylist(), [tuple(own) for own in parts[ITEMS]["keys"].to_pylist()]
    return MemoryStore(names, FoldArrays(**found).locked(), keys)
