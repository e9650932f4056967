"""Trials as one table: a row per fold, the history and what else is needed as rows and in the head."""

from collections.abc import Iterator, Mapping
from dataclasses import asdict
from typing import Any

import numpy as np
import pyarrow as pa

from veridex.core.backtest.folds import FoldArrays
from veridex.core.backtest.pace import Pace
from veridex.core.backtest.schemes import Holdout, RollingOrigin
from veridex.core.backtest.store import Extent, MemoryStore, Store
from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.methods.catalogue import method
from veridex.errors import TrialUnreadable
from veridex.exchange.forms.histories import ARRAYS, about, arrays_of, note_entry, note_of, restored
from veridex.exchange.kept import LIST, Form, Found, Kept, Layout, Part, Unfit
from veridex.exchange.unfit import escaped, unescaped

__all__ = ["TRIAL", "head_of", "history_rows", "history_under", "trial_under"]

FORMAT = "veridex trial 11"
FOLDS, ORIGINS, ITEMS = "fold", "origin", "item"
PER_FOLD = ("points", "std_error", "laws", "transforms", "chances", "training")
PLAIN = ("status", "parameters", "criteria", "forms", "seconds")
SCHEMA = pa.schema(
    [
        ("kind", pa.string()),
        ("part", pa.int32()),
        ("name", pa.string()),
        ("status", pa.int8()),
        ("parameters", pa.float64()),
        ("criteria", pa.float64()),
        ("forms", pa.binary()),
        ("seconds", pa.float64()),
        *((name, LIST) for name in PER_FOLD),
        ("origins", pa.int64()),
        ("clarity", pa.float64()),
        *((name, LIST) for name in ("actuals", "scales", "supports")),
        ("start", pa.int64()),
        ("keys", pa.list_(pa.string())),
        *((name, LIST) for name in ARRAYS),
    ]
)
SCHEMES = {"RollingOrigin": RollingOrigin, "Holdout": Holdout}


def _keep(trial: Trial) -> Kept:
    """A trial as a table: its folds, origins and items under each other, those of cut ones after it."""
    head = head_of(trial)
    return Kept(
        form=TRIAL,
        head=head,
        layouts=_layouts(head),
        parts=lambda: _parts(trial),
        value=trial,
        facts={
            "items": len(trial.history),
            "cadence": trial.history.cadence.name,
            "methods": len(trial.lineup),
            "scheme": trial.scheme.in_words(),
        },
    )


def _layouts(head: Mapping[str, Any]) -> tuple[Layout, ...]:
    if head.get("format") != FORMAT:
        raise Unfit(f"it is no trial that this version reads ({FORMAT!r})")
    return (Layout("fold", "trial", SCHEMA),)


def _restore(found: Found) -> Trial:
    return _trial(found.head, found.tables["fold"])


def _parts(trial: Trial) -> Iterator[Part]:
    """All rows under one schema, some items after the others: what a kind of row does not have is null."""
    for k, one in enumerate((trial, *trial.cuts)):
        for kind in _tables(one):
            rows = kind.append_column("part", pa.array([k] * len(kind), type=pa.int32()))
            columns = [
                rows[name].cast(kind) if name in rows.column_names else pa.nulls(len(rows), kind)
                for name, kind in zip(SCHEMA.names, SCHEMA.types, strict=True)
            ]
            yield {"fold": pa.table(columns, schema=SCHEMA)}


def _tables(trial: Trial) -> Iterator[pa.Table]:
    """The rows of a trial."""
    for _, arrays in trial.store.blocks():
        yield _fold_rows(arrays)
        yield _origin_rows(arrays)
    yield history_rows(trial.history).append_column("keys", pa.array([list(one.keys) for one in trial]))


def _trial(head: Mapping[str, Any], table: pa.Table, part: int = 0) -> Trial:
    kinds, own = table["kind"].to_numpy(), table["part"].to_numpy() == part
    parts = {kind: table.filter(pa.array(own & (kinds == kind))) for kind in (FOLDS, ORIGINS, ITEMS)}
    cuts = tuple(_trial(cut, table, k) for k, cut in enumerate(head["cuts"], start=1))
    return trial_under(head, history_under(head, parts[ITEMS]), _store(head, parts), cuts)


def trial_under(head: Mapping[str, Any], history: History, store: Store, cuts: tuple[Trial, ...]) -> Trial:
    """The trial that a head tells of, with what was read besides."""
    return Trial(
        history=history,
        lineup=tuple(method(text) for text in head["lineup"]),
        added=tuple(method(text) for text in head["added"]),
        scheme=SCHEMES[head["scheme"]["kind"]](**head["scheme"]["settings"]),
        levels=tuple(head["levels"]),
        notes=tuple(note_of(note) for note in head["notes"]),
        perfect=head["perfect"],
        driven=head["driven"],
        pace=Pace(**head["pace"]),
        store=store,
        cuts=cuts,
    )


def head_of(trial: Trial) -> dict[str, Any]:
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
        "items": len(trial.store),
        "extent": trial.store.extent._asdict(),
        "history": about(trial.history),
        "cuts": [head_of(cut) for cut in trial.cuts],
    }


def _lists(array: np.ndarray) -> pa.Array:
    """Rows of an array as lists."""
    rows = array.reshape(array.shape[0], -1)
    offsets = np.arange(rows.shape[0] + 1, dtype=np.int64) * rows.shape[1]
    return pa.LargeListArray.from_arrays(pa.array(offsets), pa.array(np.ascontiguousarray(rows).ravel()))


def _fold_rows(a: FoldArrays) -> pa.Table:
    count = int(np.prod(a.status.shape))
    columns = {name: _lists(getattr(a, name).reshape(count, -1)) for name in PER_FOLD}
    plain = {name: pa.array(getattr(a, name).ravel()) for name in PLAIN}
    return pa.table({"kind": pa.array([FOLDS] * count), **plain, **columns})


def _origin_rows(a: FoldArrays) -> pa.Table:
    count = int(np.prod(a.origins.shape))
    lists = {"actuals": _lists(a.actuals.reshape(count, -1)), "scales": _lists(a.scales.reshape(count, -1))}
    lists["supports"] = _lists(a.supports.reshape(count, -1))
    plain = {name: pa.array(getattr(a, name).ravel()) for name in ("origins", "clarity")}
    return pa.table({"kind": pa.array([ORIGINS] * count), **plain, **lists})


def history_rows(history: History) -> pa.Table:
    """An item per row: its key, first period, demand, and raw demand where it was tidied."""
    bounds = list(zip(history.offsets[:-1].tolist(), history.offsets[1:].tolist(), strict=True))

    def lists(values: np.ndarray | None) -> pa.Array:
        return pa.array([None if values is None else values[a:b] for a, b in bounds], type=pa.large_list(pa.float64()))

    columns = {name: lists(array) for name, array in arrays_of(history).items()}
    kinds, names = pa.array([ITEMS] * len(history)), pa.array([escaped(name) for name in history.names])
    return pa.table({"kind": kinds, "name": names, "start": pa.array(history.starts), **columns})


def history_under(head: Mapping[str, Any], table: pa.Table) -> History:
    """The history that a head and rows tell of."""

    def whole(name: str) -> np.ndarray | None:
        column = table[name]
        if column.null_count:
            return None
        return np.concatenate([np.asarray(one.values, dtype=np.float64) for one in column])

    return restored(
        head["history"],
        tuple(unescaped(name) for name in table["name"].to_pylist()),
        np.array(table["start"].to_numpy(), dtype=np.int64),
        np.array([len(values) for values in table["values"]], dtype=np.int64),
        {name: whole(name) for name in ARRAYS},
    )


def _store(head: Mapping[str, Any], parts: dict[str, pa.Table]) -> MemoryStore:
    wanted = Extent(**head["extent"]).empty(head["items"])
    found = {}
    for name, empty in wanted.items():
        column = parts[FOLDS if name in (*PER_FOLD, *PLAIN) else ORIGINS][name].combine_chunks()
        flat = column.values if pa.types.is_large_list(column.type) else column
        found[name] = np.array(flat.to_numpy(zero_copy_only=False), dtype=empty.dtype).reshape(empty.shape)
    names = [unescaped(name) for name in parts[ITEMS]["name"].to_pylist()]
    keys = [tuple(own) for own in parts[ITEMS]["keys"].to_pylist()]
    return MemoryStore.of(names, FoldArrays(**found).locked(), keys)


TRIAL = Form(
    kind="trial",
    called="a trial",
    version=FORMAT,
    head_file="trial.json",
    tables={"fold": "trial"},
    layouts=_layouts,
    keep=_keep,
    restore=_restore,
    unreadable=TrialUnreadable,
    alone=True,
    lists=True,
    by_item=True,
)
