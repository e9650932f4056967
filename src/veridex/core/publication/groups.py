"""Totals over groups of items: how their errors go together is measured in the backtest, not assumed."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Bands, Wanted
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.calibration.sums import law_of_sum, spread_of_group
from veridex.core.calibration.totals import Totals, finite_totals
from veridex.core.history.history import History
from veridex.core.laws.support import Support
from veridex.core.publication.dossier import GroupTotals, ItemPublication
from veridex.core.publication.head import Grouped
from veridex.core.scoring.exact import exact_array, rounded_array
from veridex.core.verdict.verdict import Verdict
from veridex.errors import ParameterError

__all__ = ["Grouping", "Share", "group_totals", "groupings"]


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
        together = _together_at_usual_origins(verdict.choice(item).learned for item in items)
        if together is not None:
            sums, squares, sizes = together.rounded()
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


def _together_at_usual_origins(fits: Iterable[Hindcast | None]) -> Together | None:
    """What those add up to that were tested at the origins most of them were; None of a single one."""
    sums: dict[bytes, Together] = {}
    counts: Counter[bytes] = Counter()
    for fit in fits:
        if fit is not None:
            key, own = fit.origins.tobytes(), Together.of(fit)
            sums[key] = sums[key] + own if key in sums else own
            counts[key] += 1
    usual = max(sorted(counts), key=counts.__getitem__, default=b"")
    return sums[usual] if counts[usual] > 1 else None


@dataclass(frozen=True, slots=True, eq=False)
class Share:
    """What an item adds to the total of a group.

    Attributes
    ----------
    item : str
    origin : int
    tested : range
    points : ndarray, shape (H,)
    moments : ndarray, shape (2, H)
        Mean and spread of the law of its total, as its evidence makes it.
    support : Support
    calibrated : bool
    """

    item: str
    origin: int
    tested: range
    points: FloatArray
    moments: FloatArray
    support: Support
    calibrated: bool

    @classmethod
    @np.errstate(all="ignore")
    def of(cls, one: ItemPublication) -> "Share | None":
        """That of an item; None of one without a law of its total."""
        total = one.totals
        if not one.available or total is None or total.laws is None:
            return None
        moments, calibrated = _calibrated_moments(total), total.bands.kind == "calibrated"
        return cls(one.item, one.origin, one.tested, total.points, moments, one.support, calibrated)


@np.errstate(all="ignore")
def group_totals(
    grouping: Grouping, shares: Mapping[str, Share], history: History, wanted: Wanted
) -> list[GroupTotals]:
    """The totals of each group: means added up, spreads as far as errors went together."""
    found = []
    for name, items in grouping.members.items():
        members = [shares[item] for item in items if item in shares]
        if members:
            said = _left_out([item for item in items if item not in shares], items, history)
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


def _together(members: Sequence[Share], shared: float, wanted: Wanted, said: str) -> Totals:
    """The total of several items, whose calibrated laws are added up by their means and spreads."""
    steps = min(one.points.size for one in members)
    points = np.sum([one.points[:steps] for one in members], axis=0)
    moments = np.array([one.moments[:, :steps] for one in members])
    spread = spread_of_group(moments[:, 1], shared)
    floors = np.array([one.support.floor for one in members])
    floor, whole = float(floors.sum()), all(one.support.whole for one in members)
    law = law_of_sum(moments[:, 0].sum(axis=0), spread, floor, whole)
    calibrated = all(one.calibrated for one in members)
    bands = replace(Bands.read(law, (), wanted), kind="calibrated" if calibrated else "model")
    return finite_totals(Totals(points=points, bands=bands, laws=law, reason=said), wanted)


def _calibrated_moments(total: Totals) -> FloatArray:
    """Mean and spread (2, H) of a total's law as its evidence makes it: moved and stretched as its middle is."""
    assert total.laws is not None
    mean, spread = total.laws.moments()
    if not total.warps:
        return np.array([mean, spread])
    own = np.asarray(ndtr([-1.0, 1.0]), dtype=np.float64)
    asked = np.array([warp.own(own) for warp in total.warps])
    warped, straight = total.laws.quantile(asked), total.laws.quantile(own)
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
