"""The laws of a publication as a table, and back to the bit: a row per law, its components one behind the other."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.laws.components import KIND, NUMBERS, Kind
from veridex.core.laws.laws import Laws
from veridex.core.laws.warp import KNOTS, Warp
from veridex.core.publication.dossier import GroupTotals, ItemPublication
from veridex.core.publication.tables import ITEM
from veridex.exchange.kept import COUNT, FLAG, LIST, NUMBER, TEXT, arrow_table

__all__ = ["LAWS", "Place", "laws_table", "places", "read_laws"]

FORECAST, TOTAL = "forecast", "total"

NAMES = {int(kind): kind.name.lower().replace("_", "-") for kind in Kind}


class Place(NamedTuple):
    """Whose laws they are: of an item's forecast under a scenario, or of a total."""

    what: str
    group: str
    name: str
    scenario: str = ""


Read = tuple[Laws, tuple[Warp, ...]]

LAWS = pa.schema(
    [
        *((name, TEXT) for name in Place._fields),
        ("step", COUNT),
        ("floor", NUMBER),
        ("whole", FLAG),
        ("law", TEXT),
        ("numbers", LIST),
        ("held", LIST),
    ]
)
"""Whose law, of which step, on what support; the names of its components, and of each the weight and the parameters;
the normal scores of the law whose probabilities held those of the knots, none for the law itself."""


def laws_table(items: Iterable[ItemPublication], groups: Iterable[GroupTotals]) -> pa.Table:
    """All laws of what is published."""
    found = [_block(place, laws, warps) for place, laws, warps in _all(items, groups)]
    if not found:
        return LAWS.empty_table()
    columns: dict[str, Any] = {name: [] for name in (*Place._fields, "law")}
    for one in found:
        for name, value in zip(Place._fields, one.place, strict=True):
            columns[name] += [value] * one.steps.size
        columns["law"] += one.names
    for name in ("floor", "whole"):
        columns[name] = np.concatenate([getattr(one, name) for one in found])
    columns["step"] = np.concatenate([one.steps for one in found])
    for name in ("numbers", "held"):
        columns[name] = _lists([getattr(one, name) for one in found], [getattr(one, f"{name}_sizes") for one in found])
    return arrow_table(columns, LAWS)


class _Block(NamedTuple):
    """The laws of a place, a value per step; of lists all numbers and how many each step has."""

    place: Place
    steps: IntArray
    floor: FloatArray
    whole: NDArray[Any]
    names: list[str]
    numbers: FloatArray
    numbers_sizes: IntArray
    held: FloatArray
    held_sizes: IntArray


def _block(place: Place, laws: Laws, warps: tuple[Warp, ...]) -> _Block:
    used = laws.components[:, :, 0] > 0.0
    counts = used.sum(axis=1)
    at = np.flatnonzero(counts)  # a step without components has no law
    parts = laws.components[used]
    held = np.array([warps[h].scores for h in at.tolist()]) if warps else np.empty((0, KNOTS.size))
    kinds = [NAMES[int(kind)] for kind in parts[:, KIND].tolist()]
    ends = np.cumsum(counts[at]).tolist()
    return _Block(
        place=place,
        steps=at + 1,
        floor=laws.floor[at],
        whole=laws.whole[at],
        names=[" ".join(kinds[a:b]) for a, b in zip([0, *ends[:-1]], ends, strict=False)],
        numbers=np.delete(parts, KIND, axis=1).ravel(),
        numbers_sizes=counts[at] * (parts.shape[1] - 1),
        held=held.ravel(),
        held_sizes=np.full(at.size, KNOTS.size if warps else 0),
    )


def _lists(numbers: list[FloatArray], sizes: list[IntArray]) -> pa.Array:
    ends = np.concatenate(([0], np.cumsum(np.concatenate(sizes)))).astype(np.int64)
    return pa.LargeListArray.from_arrays(pa.array(ends), pa.array(np.concatenate(numbers)))


def _all(
    items: Iterable[ItemPublication], groups: Iterable[GroupTotals]
) -> Iterator[tuple[Place, Laws, tuple[Warp, ...]]]:
    for one in items:
        yield from _of_item(one)
    for group in groups:
        if group.totals.laws is not None:
            yield Place(TOTAL, group.group, group.name), group.totals.laws, group.totals.warps


def _of_item(one: ItemPublication) -> Iterator[tuple[Place, Laws, tuple[Warp, ...]]]:
    for outlook in (one.outlook, *one.scenarios):
        if outlook is not None and outlook.laws is not None:
            yield Place(FORECAST, ITEM, one.item, outlook.scenario), outlook.laws, outlook.warps
    if one.totals is not None and one.totals.laws is not None:
        yield Place(TOTAL, ITEM, one.item), one.totals.laws, one.totals.warps


def read_laws(table: Mapping[str, NDArray[Any]], steps: dict[tuple[str, str], int]) -> dict[Place, Read]:
    """The laws of the columns of a table, by whose they are; `steps` are the lead times of each group and name."""
    found = {}
    for key, rows in places(table, list(Place._fields)).items():
        whose = Place(*key)
        found[whose] = _laws({name: table[name][rows] for name in LAWS.names}, steps[whose.group, whose.name])
    return found


def places(table: Mapping[str, NDArray[Any]], names: list[str]) -> dict[tuple[str, ...], IntArray]:
    """Where the rows of each key stand, the keys as they come."""
    keys = zip(*(table[name].tolist() for name in names), strict=True)
    found: dict[tuple[str, ...], list[int]] = {}
    for place, key in enumerate(keys):
        found.setdefault(key, []).append(place)
    return {key: np.array(rows, dtype=np.int64) for key, rows in found.items()}


KINDS = {name: float(kind) for kind, name in NAMES.items()}


def _laws(own: Mapping[str, NDArray[Any]], horizon: int) -> Read:
    """Put the components of each step beside each other; a step without any has no law."""
    at = own["step"] - 1
    names = [text.split(" ") for text in own["law"].tolist()]
    most = max((len(one) for one in names), default=1)
    components = np.full((horizon, most, NUMBERS), np.nan)
    for h, kinds, numbers in zip(at.tolist(), names, own["numbers"], strict=True):
        rows = np.insert(numbers.reshape(len(kinds), -1), KIND, [KINDS[kind] for kind in kinds], axis=1)
        components[h, : len(kinds)] = rows
    floor, whole = np.full(horizon, -np.inf), np.zeros(horizon, dtype=bool)
    floor[at], whole[at] = own["floor"], own["whole"]
    warped = bool(at.size) and all(len(one) for one in own["held"])
    scores = np.tile(KNOTS, (horizon, 1))
    if warped:
        scores[at] = np.stack(list(own["held"]))
    return Laws(components, floor, whole), tuple(Warp(row) for row in scores) if warped else ()
