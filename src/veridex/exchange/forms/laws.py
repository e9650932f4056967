"""The laws of a publication as a table, and back to the bit: a row per component of each law."""

from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple

import numpy as np
import pandas as pd
from scipy.special import ndtr

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.laws.components import NUMBERS, Kind
from veridex.core.laws.laws import Laws
from veridex.core.laws.warp import KNOTS, Warp
from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.publication import Publication
from veridex.core.publication.tables import ITEM
from veridex.core.scoring.levels import level_label

__all__ = ["Place", "laws_table", "places", "read_laws"]

FORECAST, TOTAL = "forecast", "total"

PARAMETERS = tuple(f"number_{j}" for j in range(1, NUMBERS - 1))

HELD = tuple(f"held_{level_label(round(100.0 * float(share), 6))}" for share in ndtr(KNOTS))
"""Columns of normal scores of the law whose probabilities held the percent in their name; empty for the law itself."""

KINDS = {kind: kind.name.lower().replace("_", "-") for kind in Kind}


class Place(NamedTuple):
    """Whose laws they are: of an item's forecast under a scenario, or of a total."""

    what: str
    group: str
    name: str
    scenario: str = ""


Read = tuple[Laws, tuple[Warp, ...]]


def laws_table(publication: Publication) -> pd.DataFrame:
    """All laws of a publication: what they are of, step, weight, law, its numbers, floor, whole, calibration."""
    rows = [row for place, laws, warps in _all(publication) for row in _rows(place, laws, warps)]
    columns = [*Place._fields, "step", "weight", "law", *PARAMETERS, "floor", "whole", *HELD]
    return pd.DataFrame(rows, columns=columns)


def _all(publication: Publication) -> Iterator[tuple[Place, Laws, tuple[Warp, ...]]]:
    for one in publication.published.values():
        yield from _of_item(one)
    for group in publication.groups:
        if group.totals.laws is not None:
            yield Place(TOTAL, group.group, group.name), group.totals.laws, group.totals.warps


def _of_item(one: ItemPublication) -> Iterator[tuple[Place, Laws, tuple[Warp, ...]]]:
    for outlook in (one.outlook, *one.scenarios):
        if outlook is not None and outlook.laws is not None:
            yield Place(FORECAST, ITEM, one.item, outlook.scenario), outlook.laws, outlook.warps
    if one.totals is not None and one.totals.laws is not None:
        yield Place(TOTAL, ITEM, one.item), one.totals.laws, one.totals.warps


def _rows(place: Place, laws: Laws, warps: tuple[Warp, ...]) -> Iterable[list[Any]]:
    for h, components in enumerate(laws.components):
        scores = warps[h].scores.tolist() if warps else [np.nan] * KNOTS.size
        for one in components[components[:, 0] > 0.0].tolist():
            support = [float(laws.floor[h]), bool(laws.whole[h])]
            yield [*place, h + 1, one[0], KINDS[Kind(int(one[1]))], *one[2:], *support, *scores]


def read_laws(table: pd.DataFrame, steps: dict[tuple[str, str], int]) -> dict[Place, Read]:
    """The laws of a table of texts, by whose they are; `steps` are the lead times of each group and name."""
    kinds = {name: float(kind) for kind, name in KINDS.items()}
    numbers = table[["weight", *PARAMETERS, "floor", *HELD]].replace("", "nan").astype(np.float64)
    columns = _Columns(
        step=np.asarray(table["step"].astype(np.int64), dtype=np.int64) - 1,
        law=np.column_stack((numbers["weight"], table["law"].map(kinds), numbers[list(PARAMETERS)])),
        floor=numbers["floor"].to_numpy(),
        whole=(table["whole"] == "True").to_numpy(dtype=bool),
        held=numbers[list(HELD)].to_numpy(),
    )
    found = {}
    for key, rows in places(table, list(Place._fields)).items():
        whose = Place(*key)
        found[whose] = _laws(columns.at(rows), steps[whose.group, whose.name])
    return found


def places(table: pd.DataFrame, names: list[str]) -> dict[tuple[str, ...], IntArray]:
    """Where the rows of each key stand, the keys as they come."""
    keys = zip(*(table[name].astype(str).tolist() for name in names), strict=True)
    found: dict[tuple[str, ...], list[int]] = {}
    for place, key in enumerate(keys):
        found.setdefault(key, []).append(place)
    return {key: np.array(rows, dtype=np.int64) for key, rows in found.items()}


class _Columns(NamedTuple):
    """Columns of the table as numbers."""

    step: IntArray
    law: FloatArray
    floor: FloatArray
    whole: BoolArray
    held: FloatArray

    def at(self, rows: IntArray) -> "_Columns":
        """Some of the rows."""
        return _Columns(self.step[rows], self.law[rows], self.floor[rows], self.whole[rows], self.held[rows])


def _laws(own: _Columns, horizon: int) -> Read:
    """Put the components of each step beside each other; a step without any has no law."""
    step = own.step
    begun = np.searchsorted(step, step)  # rows of a step stand together, in order
    part = np.arange(step.size) - begun
    components = np.full((horizon, int(part.max(initial=0)) + 1, NUMBERS), np.nan)
    components[step, part] = own.law
    floor, whole = np.full(horizon, -np.inf), np.zeros(horizon, dtype=bool)
    floor[step], whole[step] = own.floor, own.whole
    scores = np.tile(KNOTS, (horizon, 1))
    scores[step] = own.held
    warped = bool(step.size) and not np.isnan(scores[step]).any()
    return Laws(components, floor, whole), tuple(Warp(row) for row in scores) if warped else ()
