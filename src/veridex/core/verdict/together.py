"""What the sum of a group shows of methods that its items do not: a season that noise hides in each of them."""

from collections import Counter
from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.backtest.lineup import FEWEST_IN_FAMILY, family_of
from veridex.core.backtest.trial import Trial
from veridex.core.verdict.completed import Completed
from veridex.core.verdict.contest import Field
from veridex.core.verdict.group_sums import GroupSum, GroupSums

__all__ = ["Seldom", "sums_of_intermittent"]

ALL = "all"
"""The name of the group of all items, where no column groups them."""


class Seldom(NamedTuple):
    """An item that is wanted now and then, and the origins it was tested at, as bytes."""

    item: str
    origins: bytes

    @classmethod
    def of(cls, field: Field) -> "Seldom | None":
        """The item of a field, if it is such a one and was tested."""
        seldom = field.evidence.route.name == "intermittent" and field.evidence.origins.size
        return cls(field.one.item, field.evidence.origins.tobytes()) if seldom else None


def sums_of_intermittent(trial: Trial, items: Sequence[Seldom], field_of: Callable[[str], Field]) -> GroupSums:
    """What the sums of groups of intermittent items show; nothing of items without a group.

    Groups are those of the first key column by which most have five items or more; else all of them are one.

    Parameters
    ----------
    trial : Trial
    items : sequence of Seldom
    field_of : callable
        Given an item, who competes for it.
    """
    sums: dict[str, GroupSum] = {}
    groups: dict[str, str] = {}
    for name, members in _groups(trial, items).items():
        evidence = _sum_of(members, field_of)
        if evidence is not None:
            sums[name] = evidence
            groups.update({one.item: name for one in members})
    return GroupSums(sums, groups)


def _groups(trial: Trial, items: Sequence[Seldom]) -> dict[str, list[Seldom]]:
    """Items that are added up, in the order of their names, by group."""
    ordered, history = sorted(items), trial.history
    column = family_of(history, [one.item for one in ordered])
    groups: dict[str, list[Seldom]] = {}
    for one in ordered:
        place = None if column is None else history.key_columns.index(column)
        name = ALL if place is None else history.keys[one.item][place]
        groups.setdefault(name, []).append(one)
    return {name: members for name, members in groups.items() if len(members) >= FEWEST_IN_FAMILY}


@np.errstate(all="ignore")
def _sum_of(members: Sequence[Seldom], field_of: Callable[[str], Field]) -> GroupSum | None:
    """The evidence of a sum, over the items that were tested at the origins most of them were."""
    counts = Counter(one.origins for one in members)
    usual = max(sorted(counts), key=counts.__getitem__)
    same = [one.item for one in members if one.origins == usual]
    if len(same) < FEWEST_IN_FAMILY:
        return None
    actuals, points, known = _added(field_of(same[0]))
    for item in same[1:]:
        more = _added(field_of(item))
        actuals, points, known = actuals + more[0], points + more[1], known & more[2]
    done = Completed.of(np.abs(actuals - points), known, np.frombuffer(usual, dtype=np.int64))
    return GroupSum(done, float(known.sum() / known.shape[0]), len(same))


def _added(field: Field) -> tuple[FloatArray, FloatArray, BoolArray]:
    """What an item adds to a sum: actuals, forecasts, and cells that count."""
    at = np.flatnonzero(field.evidence.route.origins)
    return field.evidence.actuals, field.one.points[:, at], field.evidence.known
