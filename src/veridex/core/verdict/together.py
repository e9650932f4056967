"""What the sum of a group shows of methods that its items do not: a season that noise hides in each of them."""

from collections.abc import Sequence

import numpy as np

from veridex.core.backtest.lineup import FEWEST_IN_FAMILY, family_of
from veridex.core.backtest.trial import Trial
from veridex.core.verdict.completed import Completed
from veridex.core.verdict.contest import Field
from veridex.core.verdict.group_sums import GroupSum, GroupSums

__all__ = ["sums_of_intermittent"]

ALL = "all"
"""The name of the group of all items, where no column groups them."""


def sums_of_intermittent(trial: Trial, fields: Sequence[Field]) -> GroupSums:
    """What the sums of groups of intermittent items show; nothing of items without a group.

    Groups are those of the first key column by which most have five items or more; else all of them are one.
    """
    items = [field for field in fields if field.evidence.route.name == "intermittent" and field.evidence.origins.size]
    sums: dict[str, GroupSum] = {}
    groups: dict[str, str] = {}
    for name, members in _groups(trial, items).items():
        evidence = _sum_of(members)
        if evidence is not None:
            sums[name] = evidence
            groups.update({field.one.item: name for field in members})
    return GroupSums(sums, groups)


def _groups(trial: Trial, items: Sequence[Field]) -> dict[str, list[Field]]:
    """Items that are added up, in the order of their names, by group."""
    ordered, history = sorted(items, key=lambda field: field.one.item), trial.history
    column = family_of(history, [field.one.item for field in ordered])
    groups: dict[str, list[Field]] = {}
    for field in ordered:
        place = None if column is None else history.key_columns.index(column)
        name = ALL if place is None else history.keys[field.one.item][place]
        groups.setdefault(name, []).append(field)
    return {name: members for name, members in groups.items() if len(members) >= FEWEST_IN_FAMILY}


@np.errstate(all="ignore")
def _sum_of(members: Sequence[Field]) -> GroupSum | None:
    """The evidence of a sum, over the items that were tested at the origins most of them were."""
    keys = [field.evidence.origins.tobytes() for field in members]
    usual = max(sorted(set(keys)), key=keys.count)
    same = [field for field, key in zip(members, keys, strict=True) if key == usual]
    if len(same) < FEWEST_IN_FAMILY:
        return None
    at = [np.flatnonzero(field.evidence.route.origins) for field in same]
    actuals = sum(field.evidence.actuals for field in same)
    points = sum(field.one.points[:, own] for field, own in zip(same, at, strict=True))
    known = np.logical_and.reduce([field.evidence.known for field in same])
    losses = np.abs(np.asarray(actuals) - points)
    done = Completed.of(losses, known, same[0].evidence.origins)
    return GroupSum(done, float(known.sum() / known.shape[0]), len(same))
