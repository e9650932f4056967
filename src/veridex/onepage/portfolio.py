"""The page of the whole portfolio: standings, coverage, groups, what came, what changed."""

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.backtest.rivalry import distances
from veridex.core.backtest.trial import Trial
from veridex.core.calibration.held import Held
from veridex.core.calibration.sums import added
from veridex.core.methods.short_names import brief_name, short_texts
from veridex.core.publication.dossier import GroupTotals, ItemPublication
from veridex.core.publication.groups import ALL
from veridex.core.publication.moved import made_of, moved, shared_steps
from veridex.core.publication.publication import Publication
from veridex.core.publication.record.words import in_words
from veridex.core.publication.watch.watch import Watch
from veridex.onepage.packing import shortened, stamp
from veridex.onepage.source import Source

__all__ = ["portfolio"]

MOST = 200
"""Rows of a table on the page; commands and files have all."""

STANDING = "mase"


def portfolio(source: Source) -> dict[str, Any]:
    """What is said of all items together; what there is nothing of is left out."""
    publication = source.publication
    found = {
        "facts": _facts(publication),
        "groups": [_group(source, one) for one in publication.groups],
        "standings": _standings(source),
        "coverage": _coverage(source.items),
        "watch": None if source.watch is None else _watch(source.watch),
        "record": _record(source),
        "changes": None if source.before is None else _changes(source.before, publication),
    }
    return {name: value for name, value in found.items() if value not in (None, [], {})}


def _facts(publication: Publication) -> list[list[str]]:
    """From what data, how tested, when made: name and words."""
    head = publication.head
    demand, tested = head.demand, head.backtest
    rows = [
        ["made", f"{stamp(head.made.at)}, Veridex {head.made.versions.get('veridex', '')}".rstrip(", ")],
        ["history", f"{demand.first} to {demand.last}, {demand.cadence}, of {len(publication.items):,} items"],
        ["measure", demand.measure.label],
    ]
    if demand.tidying:
        rows.append(["tidied", demand.tidying])
    rows += [["note", note] for note in demand.notes]
    if tested is None:
        rows.append(["tested", "not at all: the method is the planner's own choice, and its error is not known"])
    else:
        rows.append(["tested", f"{tested['scheme']}; {len(tested['lineup'])} methods; rule {tested['rule']}"])
        rows += [["note", note] for note in tested["notes"]]
    if head.plan is not None:
        rows.append(["plan", head.plan.file])
    return rows


def _group(source: Source, one: GroupTotals) -> dict[str, Any]:
    """A group's total up to each step, between its bounds, and its past as far as all members have one."""
    bands = one.totals.bands
    return {
        "name": one.called,
        "column": "" if one.group == ALL else one.group,
        "value": one.name,
        "items": len(one.members),
        "start": one.origin + 1 - source.span[0],
        "points": shortened(one.totals.points),
        "lower": [shortened(row) for row in np.asarray(bands.lower)],
        "upper": [shortened(row) for row in np.asarray(bands.upper)],
        "season": shortened(_season(source.publication, one)),
        "reason": one.totals.reason,
    }


def _season(publication: Publication, one: GroupTotals) -> Any:
    """What its members sold in the season before, added up like the total; unknown where one of them is."""
    turn = publication.head.demand.season_length
    pasts = [publication[item].past for item in one.members]
    if turn < 2 or any(past.size < turn for past in pasts):
        return np.empty(0)
    whole = np.sum([past[past.size - turn :] for past in pasts], axis=0)[: one.totals.points.size]
    return added(whole, publication.head.wanted.first)


def _standings(source: Source) -> dict[str, Any] | None:
    """The lineup as ranked when it was published; with a trial, how sure each distance from the benchmark is."""
    tested = source.publication.head.backtest
    if tested is None:
        return None
    table = pd.DataFrame(tested["standings"])
    if STANDING not in table or table[STANDING].isna().all():
        return None
    texts = table["method"].tolist()
    names = short_texts(texts)
    reach = _reach(source.trial, texts)
    base = None if source.trial is None else source.trial.benchmarks[0].text
    numbers = [shortened(table[name].to_numpy(dtype=np.float64)) for name in (STANDING, "value_added")]
    ends = [shortened(np.array([pair[side] for pair in reach])) for side in (0, 1)]
    cells = [int(count) for count in table["n"]]
    return {
        "measure": STANDING,
        "base": None if base is None else names.get(base),
        "rows": [
            [names[text], *values, *row]
            for text, *values, row in zip(
                texts, *numbers, *ends, [[count, reason] for count, reason in _told(cells, table)], strict=True
            )
        ],
    }


def _told(cells: Sequence[int], table: pd.DataFrame) -> Iterable[tuple[int, str]]:
    """Shared cells of each method, and why it has none."""
    reasons = table["reason"].fillna("").tolist() if "reason" in table else [""] * len(table)
    return zip(cells, reasons, strict=True)


def _reach(trial: Trial | None, texts: list[str]) -> list[tuple[float, float]]:
    """95 % intervals of each method's distance from the benchmark; unknown without a trial that has them all."""
    if trial is None or any(text not in [one.text for one in trial.lineup] for text in texts):
        return [(np.nan, np.nan)] * len(texts)
    return distances(trial, texts, trial.benchmarks[0].text, STANDING)


def _coverage(items: Iterable[ItemPublication]) -> list[dict[str, Any]]:
    """What intervals held when tested, by kind and level: over all cells, and the middle half of the items."""
    kept: dict[tuple[str, float], list[Held]] = {}
    for one in items:
        for kind, rows in one.held.items():
            for row in rows:
                if row.cells:
                    kept.setdefault((kind, row.level), []).append(row)
    return [_held(kind, level, rows) for (kind, level), rows in sorted(kept.items())]


def _held(kind: str, level: float, rows: Sequence[Held]) -> dict[str, Any]:
    """A kind and level over all items."""
    cells = np.array([row.cells for row in rows], dtype=np.float64)
    shares = np.array([(row.coverage, row.below, row.above) for row in rows])
    whole = (cells[:, None] * shares).sum(axis=0) / cells.sum()
    middle = np.quantile(shares[:, 0], (0.25, 0.75))
    numbers = shortened([*whole, *middle])
    return {"kind": kind, "level": level, "items": len(rows), "cells": int(cells.sum()), "numbers": numbers}


def _watch(watch: Watch) -> dict[str, Any]:
    """The alerts and what happened to the items that have them."""
    odd = watch.items[(watch.items["alerts"] > 0) | watch.items["biased"]]
    return {
        "words": watch.in_words(),
        "alerts": _rows(watch, watch.alerts, ("item", "period", "actual", "forecast", "lower", "upper", "chance")),
        "items": _rows(watch, odd, ("item", "alerts", "what", "since", "size", "sure", "signal", "share")),
        "groups": _rows(watch, watch.groups, ("group", "name", "actual", "forecast", "lower", "upper", "chance")),
    }


def _rows(watch: Watch, table: pd.DataFrame, names: Sequence[str]) -> dict[str, Any]:
    """The first rows of some columns of a watch's table, and how many there are."""
    shown = table.head(MOST)
    return {"columns": list(names), "rows": _cells(shown, names, watch), "all": len(table)}


def _cells(table: pd.DataFrame, names: Sequence[str], watch: Watch) -> list[list[Any]]:
    """Rows of plain values; periods as people write them."""
    columns: list[list[Any]] = []
    for name in names:
        values = table[name]
        if name == "period":
            columns.append([watch.cadence.text(place) for place in watch.cadence.ordinals(values.to_numpy()).tolist()])
        elif pd.api.types.is_numeric_dtype(values):
            columns.append(shortened(values.to_numpy(dtype=np.float64)))
        else:
            columns.append([str(value) for value in values])
    return [list(row) for row in zip(*columns, strict=True)]


def _record(source: Source) -> dict[str, Any] | None:
    """What was published against what came: in words, value added, coverage, errors by lead time."""
    record = source.record
    if record is None:
        return None
    if record.cells.empty:
        return {"words": in_words(record, changes=False)}
    return {
        "words": in_words(record, changes=False),
        "added": _plain(record.value_added, ("what", "planner", "items", "cells", "wape_before", "wape_after"))
        | {"gains": shortened(record.value_added["value_added"].to_numpy(dtype=np.float64))},
        "coverage": _plain(record.coverage, ("level", "step", "cells", "when_tested", "held", "below", "above")),
        "steps": _plain(record.scores("step"), ("step", "n", "bias", "wape")),
    }


def _plain(table: pd.DataFrame, names: Sequence[str]) -> dict[str, Any]:
    """Columns of a table, as numbers or texts."""
    columns = []
    for name in names:
        numeric = pd.api.types.is_numeric_dtype(table[name])
        values = table[name].astype("Float64").to_numpy(dtype=np.float64, na_value=np.nan) if numeric else table[name]
        columns.append(shortened(np.asarray(values)) if numeric else [str(value) for value in values])
    return {"columns": list(names), "rows": [list(row) for row in zip(*columns, strict=True)]}


def _changes(before: Publication, now: Publication) -> dict[str, Any]:
    """What is another than in the publication before: items, methods, forecasts of the same periods."""
    theirs, ours = set(before.items), set(now.items)
    rows = [_change(before.published[item], now.published[item]) for item in now.items if item in theirs]
    rows.sort(key=lambda row: -(row[5] or 0.0))
    return {
        "made": stamp(before.head.made.at),
        "known": before.head.demand.last,
        "new": [item for item in now.items if item not in theirs][:MOST],
        "gone": [item for item in before.items if item not in ours][:MOST],
        "columns": ["item", "method before", "method now", "before", "now", "moved"],
        "rows": rows[:MOST],
        "all": len(rows),
        "methods": sum(1 for row in rows if row[6]),
        "moved": shortened([float(np.median([row[5] for row in rows if row[5] is not None] or [np.nan]))])[0],
    }


def _change(before: ItemPublication, now: ItemPublication) -> list[Any]:
    """An item: methods, what both forecast for the same periods together, how far it moved, another method or not."""
    later, shared = shared_steps(before, now)
    sums = [np.nan, np.nan]
    if shared and before.outlook is not None and now.outlook is not None:
        sums = [float(before.outlook.points[later : later + shared].sum()), float(now.outlook.points[:shared].sum())]
    names = ["" if one.method is None else brief_name(one.method) for one in (before, now)]
    decided = [one.decided for one in (before, now)]
    another = None in decided and decided[0] != decided[1]
    if None not in decided:
        another = made_of(decided[0]) != made_of(decided[1])
    return [now.item, *names, *shortened([*sums, moved(before, now)]), int(another)]
