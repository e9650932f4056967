"""Errors of the sums of groups, by method: what they tell of methods that the items of the groups do not."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.verdict.completed import Completed
from veridex.core.verdict.skill import PRIOR_WINDOWS, centred

__all__ = ["GroupSum", "GroupSums"]


@dataclass(frozen=True, slots=True, eq=False)
class GroupSum:
    """Errors of the sum of a group's items.

    Attributes
    ----------
    done : Completed
    window : float
        Cells of an origin.
    items : int
        Items that are added up.
    """

    done: Completed
    window: float
    items: int

    @np.errstate(all="ignore")
    def known(self, places: list[int], moments: IntArray) -> tuple[FloatArray, FloatArray]:
        """Logs (moments, methods) of relative errors as known at moments, and windows (moments, 1) times items.

        The noise of many items is small against what they have in common: a window of their sum counts as one of each.
        """
        means, cells = self.done.means(moments)
        logs = np.nan_to_num(centred(np.log(means[:, places])), posinf=0.0, neginf=0.0)
        return logs, (self.items * cells / max(self.window, 1.0))[:, None]


@dataclass(frozen=True, eq=False)
class GroupSums:
    """The sums of all groups whose items are judged together.

    Attributes
    ----------
    sums : mapping of str to GroupSum
        By group.
    groups : mapping of str to str
        The group of each item; of items without one nothing is told.
    """

    sums: Mapping[str, GroupSum]
    groups: Mapping[str, str]

    def of(self, item: str) -> GroupSum | None:
        """The sum that an item is in."""
        group = self.groups.get(item)
        return None if group is None else self.sums[group]

    @np.errstate(all="ignore")
    def logs(self, item: str, places: list[int], moments: IntArray) -> FloatArray:
        """Logs (moments, methods) of relative errors: what all sums show, and how far the item's own differs.

        Both are drawn to nought by how few windows they are told by, as the items' own are.
        """
        own = self.of(item)
        if own is None:
            return np.zeros((moments.size, len(places)))
        logs, windows = own.known(places, moments)
        shared, all_windows = self._shared(places, moments)
        together = all_windows / (all_windows + PRIOR_WINDOWS) * shared
        return np.asarray(together + windows / (windows + PRIOR_WINDOWS) * (logs - shared))

    def _shared(self, places: list[int], moments: IntArray) -> tuple[FloatArray, FloatArray]:
        """The mean logs of all sums, each counting as its windows; and these."""
        key = (tuple(places), moments.tobytes())
        if key not in self._told:
            total, weight = np.zeros((moments.size, len(places))), np.zeros((moments.size, 1))
            for name in sorted(self.sums):
                logs, windows = self.sums[name].known(places, moments)
                total += windows * logs
                weight += windows
            self._told[key] = np.asarray(total / np.maximum(weight, 1e-12)), weight
        return self._told[key]

    @cached_property
    def _told(self) -> dict[tuple[tuple[int, ...], bytes], tuple[FloatArray, FloatArray]]:
        return {}
