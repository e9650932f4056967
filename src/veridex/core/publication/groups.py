"""Totals over groups of items: how their errors go together is measured in the backtest, not assumed."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import reduce
from operator import add
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Bands, Wanted
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.calibration.sums import law_of_sum, spread_of_group
from veridex.core.calibration.totals import Totals
from veridex.core.history.history import History
from veridex.core.publication.dossier import GroupTotals, ItemPublication
from veridex.core.publication.head import Grouped
from veridex.core.scoring.exact import exact_array, rounded_array
from veridex.core.verdict.verdict import Verdict
from veridex.errors import ParameterError

__all__ = ["Grouping", "group_totals", "groupings"]


ALL = "all"
MOST_SHARED = 0.99

LATELY = 12
"""Periods whose demand says how much of a group an item is."""

MOST_NAMED = 5


@dataclass(frozen=True, slots=True, eq=False)
class Grouping:
    """One way to group the items.

    Attributes
    ----------
    column : str
        ``"all"``, or a column of the history's items.
    members : dict of str to tuple of str
        The items of each group, by name, those in order of their names.
    left_out : tuple of str
        Items whose history ends at another period than most: their lead times are other periods.
    shared : float
        How scores of a group's items correlate, from 0 to 1.
    """

    column: str
    members: dict[str, tuple[str, ...]]
    left_out: tuple[str, ...]
    shared: float

    def said(self) -> Grouped:
        """What the publication says of it."""
        return Grouped(self.column, self.shared, self.left_out)


def groupings(history: History, verdict: Verdict | None, columns: Sequence[str]) -> list[Grouping]:
    """The groups asked for.

    Raises
    ------
    ParameterError
        If a column is unknown, or there is no backtest to tell how errors go together.
    """
    asked = (columns,) if isinstance(columns, str) else tuple(columns)
    if asked and verdict is None:
        problem = "how errors of items go together is measured in a backtest; publish from a verdict"
        raise ParameterError("groups", repr(asked), problem)
    if asked and not history.measure.adds_up:
        problem = f"{history.measure.name} does not add up over items (it is a {history.measure.adds}); publish without"
        raise ParameterError("groups", repr(asked), problem)
    ends = {series.item: series.start + len(series) for series in history}
    usual = max(set(ends.values()), key=lambda end: (list(ends.values()).count(end), end)) if ends else 0
    left_out = tuple(sorted(item for item, end in ends.items() if end != usual))
    found = []
    for column in asked:
        if column != ALL and column not in history.key_columns:
            allowed = ", ".join((ALL, *history.key_columns))
            raise ParameterError("groups", repr(column), f"group by one of {allowed}")
        assert verdict is not None
        place = None if column == ALL else history.key_columns.index(column)
        members: dict[str, list[str]] = {}
        for item in sorted(ends):
            if item not in left_out:
                members.setdefault(ALL if place is None else history.keys[item][place], []).append(item)
        groups = {name: tuple(items) for name, items in sorted(members.items())}
        found.append(Grouping(column, groups, left_out, _shared(verdict, groups)))
    return found


@np.errstate(all="ignore")
def _shared(verdict: Verdict, groups: Mapping[str, tuple[str, ...]]) -> float:
    """The mean correlation of scores within groups that explains the squares of their sums.

    Of items with scores z the mean of (sum z)^2 is that of sum z^2 plus the correlation times (sum |z|)^2 - sum z^2,
    which is what they would add if they all had the same sign.
    """
    excess, room = 0.0, 0.0
    for items in groups.values():
        fits = _same_origins([verdict.choice(item).learned for item in items])
        if len(fits) > 1:
            sums, squares, sizes = reduce(add, map(Together.of, fits)).rounded()
            excess += float((np.square(sums) - squares).sum())
            room += float((np.square(sizes) - squares).sum())
    return min(max(excess / room, 0.0), MOST_SHARED) if room > 0.0 else 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Together:
    """How far several items were off together, cell by cell: without rounding, so that any order gives the same bits.

    Attributes
    ----------
    sums, squares, sizes : ndarray of int, shape (O, H)
        Of scores, their squares and their sizes; what is not known adds nothing.
    """

    sums: NDArray[Any]
    squares: NDArray[Any]
    sizes: NDArray[Any]

    @classmethod
    def of(cls, fit: Hindcast) -> "Together":
        """What one item adds."""
        z = np.nan_to_num(fit.scores)
        return cls(exact_array(z), exact_array(np.square(z)), exact_array(np.abs(z)))

    def __add__(self, other: "Together") -> "Together":
        return Together(self.sums + other.sums, self.squares + other.squares, self.sizes + other.sizes)

    def without(self, other: "Together") -> "Together":
        """The same without what was added before."""
        return Together(self.sums - other.sums, self.squares - other.squares, self.sizes - other.sizes)

    def rounded(self) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Sums of scores, squares and sizes as numbers."""
        return rounded_array(self.sums), rounded_array(self.squares), rounded_array(self.sizes)


def _same_origins(fits: Sequence[Hindcast | None]) -> list[Hindcast]:
    """Those that were tested at the origins most of them were."""
    present = [fit for fit in fits if fit is not None]
    keys = [fit.origins.tobytes() for fit in present]
    if not keys:
        return []
    usual = max(sorted(set(keys)), key=keys.count)
    return [fit for fit, key in zip(present, keys, strict=True) if key == usual]


@np.errstate(all="ignore")
def group_totals(
    grouping: Grouping, made: Mapping[str, ItemPublication], history: History, wanted: Wanted
) -> list[GroupTotals]:
    """The totals of each group: means added up, spreads as far as errors went together."""
    found = []
    for name, items in grouping.members.items():
        members = [made[item] for item in items if _adds_up(made[item])]
        if members:
            said = _left_out([item for item in items if not _adds_up(made[item])], items, history)
            totals = _together(members, grouping.shared, wanted, said)
            longest = max((one.tested for one in members), key=len)
            found.append(
                GroupTotals(
                    group=grouping.column,
                    name=name,
                    members=tuple(one.item for one in members),
                    origin=members[0].origin,
                    totals=totals,
                    tested=longest,
                )
            )
    return found


def _adds_up(one: ItemPublication) -> bool:
    """Whether an item has a law of its total."""
    return one.available and one.totals is not None and one.totals.laws is not None


def _together(members: Sequence[ItemPublication], shared: float, wanted: Wanted, said: str) -> Totals:
    """The total of several items, whose calibrated laws are added up by their means and spreads."""
    steps = min(one.horizon for one in members)
    totals = [one.totals for one in members if one.totals is not None]
    points = np.sum([one.points[:steps] for one in totals], axis=0)
    moments = np.array([_calibrated_moments(one, steps) for one in totals])
    spread = spread_of_group(moments[:, 1], shared)
    floors = np.array([one.support.floor for one in members])
    floor, whole = float(floors.sum()), all(one.support.whole for one in members)
    law = law_of_sum(moments[:, 0].sum(axis=0), spread, floor, whole)
    calibrated = all(one.bands.kind == "calibrated" for one in totals)
    bands = replace(Bands.read(law, (), wanted), kind="calibrated" if calibrated else "model")
    return Totals(points=points, bands=bands, laws=law, reason=said)


def _calibrated_moments(total: Totals, steps: int) -> FloatArray:
    """Mean and spread (2, steps) of a total's law as its evidence makes it: moved and stretched as its middle is."""
    assert total.laws is not None
    mean, spread = (values[:steps] for values in total.laws.moments())
    if not total.warps:
        return np.array([mean, spread])
    own, plain = np.asarray(ndtr([-1.0, 1.0]), dtype=np.float64), total.laws.at(slice(0, steps))
    asked = np.array([warp.own(own) for warp in total.warps[:steps]])
    warped, straight = plain.quantile(asked), plain.quantile(own)
    width = straight[:, 1] - straight[:, 0]
    stretch = np.where(width > 0.0, (warped[:, 1] - warped[:, 0]) / np.where(width > 0.0, width, 1.0), 1.0)
    return np.array([mean + (warped.mean(axis=1) - straight.mean(axis=1)), stretch * spread])


def _left_out(lost: Sequence[str], items: Sequence[str], history: History) -> str:
    """Which items a group's total lacks, and what share of its latest demand they had; empty where it lacks none."""
    if not lost:
        return ""

    def lately(names: Sequence[str]) -> float:
        return float(sum(np.nansum(np.abs(history[one].actuals[-LATELY:])) for one in names))

    whole = lately(items)
    share = f" ({100.0 * lately(lost) / whole:.3g} % of the group's last {LATELY} periods)" if whole > 0.0 else ""
    named = ", ".join(lost[:MOST_NAMED]) + (f" and {len(lost) - MOST_NAMED} more" if len(lost) > MOST_NAMED else "")
    return f"without {named}, which have no forecast{share}"
