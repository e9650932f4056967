"""What the sum of a group shows of methods that its items do not: a season that noise hides in each of them."""

from collections.abc import Sequence

import numpy as np

from veridex.core.backtest.trial import Trial
from veridex.core.verdict.completed import Completed
from veridex.core.verdict.contest import Field, SumEvidence

__all__ = ["sums_of_intermittent"]

FEWEST = 5
"""Items of a group from which on their sum is told apart from them."""


def sums_of_intermittent(trial: Trial, fields: Sequence[Field]) -> dict[str, SumEvidence]:
    """For each intermittent item what the sum of its group shows; nothing for items without a group.

    Groups are those of the first key column by which most have five items or more; else all of them are one.
    """
    items = [field for field in fields if field.evidence.route.name == "intermittent" and field.evidence.origins.size]
    found: dict[str, SumEvidence] = {}
    for members in _groups(trial, items):
        evidence = _sum_of(members)
        if evidence is not None:
            found.update({field.one.item: evidence for field in members})
    return found


def _groups(trial: Trial, items: Sequence[Field]) -> list[list[Field]]:
    """Items that are added up, in the order of their names."""
    ordered = sorted(items, key=lambda field: field.one.item)
    for place in range(len(trial.history.key_columns)):
        groups: dict[str, list[Field]] = {}
        for field in ordered:
            groups.setdefault(trial.history.keys[field.one.item][place], []).append(field)
        sizes = [len(members) for members in groups.values()]
        if sizes and np.median(sizes) >= FEWEST:
            return [members for members in groups.values() if len(members) >= FEWEST]
    return [ordered] if len(ordered) >= FEWEST else []


@np.errstate(all="ignore")
def _sum_of(members: Sequence[Field]) -> SumEvidence | None:
    """The evidence of a sum, over the items that were tested at the origins most of them were."""
    keys = [field.evidence.origins.tobytes() for field in members]
    usual = max(sorted(set(keys)), key=keys.count)
    same = [field for field, key in zip(members, keys, strict=True) if key == usual]
    if len(same) < FEWEST:
        return None
    at = [np.flatnonzero(field.evidence.route.origins) for field in same]
    actuals = sum(field.evidence.actuals for field in same)
    points = sum(field.one.points[:, own] for field, own in zip(same, at, strict=True))
    known = np.logical_and.reduce([field.evidence.known for field in same])
    losses = np.abs(np.asarray(actuals) - points)
    done = Completed.of(losses, known, same[0].evidence.origins)
    return SumEvidence(done, float(known.sum() / known.shape[0]), len(same))
