"""Trials in one Parquet file: a row per fold, the history and what else is needed as rows and metadata."""

import json
from dataclasses import asdict, fields
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
from pyarrow import parquet

from veridex.core.backtest.arrays import TrialArrays
from veridex.core.backtest.pace import Pace
from veridex.core.backtest.schemes import Holdout, RollingOrigin
from veridex.core.backtest.trial import Trial
from veridex.core.history.cadence import Cadence
from veridex.core.history.events import Events
from veridex.core.history.history import History
from veridex.core.history.marks import Mark
from veridex.core.methods.catalogue import method
from veridex.core.tidying.rules import TidyRules
from veridex.errors import DestinationRefused, ParameterError, TrialUnreadable

__all__ = ["read_trial", "write_trial"]

FORMAT = "veridex trial 3"
KEY = b"veridex"
FOLDS, ORIGINS, ITEMS = "fold", "origin", "item"
PER_FOLD = ("points", "std_error", "lower", "upper", "training")
PLAIN = ("status", "parameters", "criteria", "forms", "seconds")
SCHEMES = {"RollingOrigin": RollingOrigin, "Holdout": Holdout}


def write_trial(trial: Trial, target: Path) -> Path:
    """Write a trial into one file that ends in ``.parquet``: whole or not at all."""
    if target.suffix != ".parquet" or target.is_dir():
        raise DestinationRefused(str(target), "a trial goes into one file", "Name it with .parquet.")
    table = pa.concat_tables([_fold_rows(trial), _origin_rows(trial), _item_rows(trial)], promote_options="default")
    table = table.replace_schema_metadata({KEY: json.dumps(_head(trial), ensure_ascii=False).encode()})
    unfinished = target.with_name(f"{target.name}.unfinished")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        parquet.write_table(table, unfinished, compression="zstd")
        unfinished.replace(target)
    except OSError as problem:
        raise DestinationRefused(str(target), problem.strerror or str(problem), "Name another file.") from None
    return target


def read_trial(source: str | Path) -> Trial:
    """Read a trial that `vx.write` has written: the same results to the bit.

    Raises
    ------
    TrialUnreadable
        If there is no such file, or it holds no trial of this version.
    """
    path = Path(source)
    try:
        table = parquet.read_table(path)
        head = json.loads((table.schema.metadata or {}).get(KEY, b"{}"))
    except (OSError, pa.ArrowInvalid) as problem:
        raise TrialUnreadable(str(source), str(problem)) from None
    if head.get("format") != FORMAT:
        raise TrialUnreadable(str(source), f"it is no trial that this version reads ({FORMAT!r})")
    try:
        return _trial(head, table)
    except KeyError as problem:
        raise TrialUnreadable(str(source), f"it lacks {problem}") from None


def _trial(head: dict[str, Any], table: pa.Table) -> Trial:
    kinds = table["kind"].to_numpy()
    parts = {kind: table.filter(pa.array(kinds == kind)) for kind in (FOLDS, ORIGINS, ITEMS)}
    return Trial(
        history=_history(head, parts[ITEMS]),
        lineup=tuple(method(text) for text in head["lineup"]),
        scheme=SCHEMES[head["scheme"]["kind"]](**head["scheme"]["settings"]),
        levels=tuple(head["levels"]),
        notes=tuple(head["notes"]),
        perfect=head["perfect"],
        driven=head["driven"],
        pace=Pace(**head["pace"]),
        arrays=_arrays(head, parts[FOLDS], parts[ORIGINS]),
    )


def _head(trial: Trial) -> dict[str, Any]:
    """Everything that is not an array."""
    history = trial.history
    rules = history.rules
    if rules is not None and not isinstance(rules, TidyRules):
        raise ParameterError("trial", repr(rules), "only rules made by vx.tidy can be written")
    return {
        "format": FORMAT,
        "lineup": [one.text for one in trial.lineup],
        "scheme": {"kind": type(trial.scheme).__name__, "settings": asdict(trial.scheme)},  # type: ignore[call-overload]
        "levels": list(trial.levels),
        "notes": list(trial.notes),
        "perfect": trial.perfect,
        "driven": trial.driven,
        "pace": asdict(trial.pace),
        "shape": list(trial.arrays.points.shape),
        "keep": trial.arrays.keep,
        "cadence": history.cadence.name,
        "season_length": history.season_length,
        "unit": history.unit,
        "history_notes": list(history.notes),
        "key_columns": list(history.key_columns),
        "keys": {name: list(parts) for name, parts in history.keys.items()},
        "tidied": history.raw is not None,
        "rules": None if rules is None else _rules(rules),
        "marks": [asdict(mark) for mark in history.marks],
        "unfinished": history.unfinished,
    }


def _rules(rules: TidyRules) -> dict[str, Any]:
    events = rules.events.to_frame().astype({"first": str, "last": str}).to_dict("list")
    return {
        "gaps": rules.gaps,
        "outliers": rules.outliers,
        "negative": rules.negative,
        "finished": rules.finished,
        "events": {str(name): values for name, values in events.items()},
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
    return pa.table({"kind": pa.array([ORIGINS] * count), "origins": pa.array(a.origins.ravel()), **lists})


def _item_rows(trial: Trial) -> pa.Table:
    """An item per row: its key, first period, demand, and raw demand where it was tidied."""
    history = trial.history
    bounds = list(zip(history.offsets[:-1].tolist(), history.offsets[1:].tolist(), strict=True))

    def lists(values: np.ndarray | None) -> pa.Array:
        return pa.array([None if values is None else values[a:b] for a, b in bounds], type=pa.large_list(pa.float64()))

    stock_outs = None if history.stock_outs is None else history.stock_outs.astype(np.float64)
    return pa.table(
        {
            "kind": pa.array([ITEMS] * len(history)),
            "name": pa.array(history.names),
            "start": pa.array(history.starts),
            "values": lists(history.values),
            "raw": lists(history.raw),
            "stock_outs": lists(stock_outs),
            "numerators": lists(None if history.parts is None else history.parts[0]),
            "denominators": lists(None if history.parts is None else history.parts[1]),
        }
    )


def _history(head: dict[str, Any], table: pa.Table) -> History:
    sizes = [len(values) for values in table["values"]]

    def whole(name: str) -> np.ndarray | None:
        column = table[name]
        if column.null_count:
            return None
        return np.concatenate([np.asarray(one.values, dtype=np.float64) for one in column])

    stock_outs, above, below = whole("stock_outs"), whole("numerators"), whole("denominators")
    rules = head["rules"]
    if rules is not None:
        events = Events.from_frame(pd.DataFrame(rules["events"]))
        rules = TidyRules(**{key: value for key, value in rules.items() if key != "events"}, events=events)
    values = whole("values")
    assert values is not None
    return History(
        cadence=Cadence.named(head["cadence"]),
        season_length=head["season_length"],
        names=tuple(table["name"].to_pylist()),
        values=values,
        offsets=np.concatenate(([0], np.cumsum(sizes))).astype(np.int64),
        starts=np.array(table["start"].to_numpy(), dtype=np.int64),
        unit=head["unit"],
        notes=tuple(head["history_notes"]),
        key_columns=tuple(head["key_columns"]),
        keys={name: tuple(parts) for name, parts in head["keys"].items()},
        raw=whole("raw"),
        rules=rules,
        stock_outs=None if stock_outs is None else stock_outs.astype(bool),
        parts=None if above is None or below is None else np.stack((above, below)),
        unfinished=head["unfinished"],
        marks=tuple(Mark(**mark) for mark in head["marks"]),
    )


def _arrays(head: dict[str, Any], folds: pa.Table, origins: pa.Table) -> TrialArrays:
    items, methods, tested, horizon = head["shape"]
    empty = TrialArrays.allocate(items, methods, tested, len(head["levels"]), horizon, head["keep"])
    found = {}
    for f in fields(TrialArrays):
        wanted = getattr(empty, f.name)
        column = (folds if f.name in (*PER_FOLD, *PLAIN) else origins)[f.name]
        column = column.combine_chunks()
        flat = column.values if pa.types.is_large_list(column.type) else column
        found[f.name] = np.array(flat.to_numpy(zero_copy_only=False), dtype=wanted.dtype).reshape(wanted.shape)
    return TrialArrays(**found).locked()
