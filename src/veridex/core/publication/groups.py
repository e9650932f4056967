"""Totals over groups of items: how their errors go together is measured in the backtest, not assumed."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import reduce
from operator import add
from typing import Any

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.calibration.bands import Wanted
from veridex.core.calibration.crossfit import Crossfit
from veridex.core.calibration.totals import calibrated_totals, simulated_bounds
from veridex.core.history.history import History
from veridex.core.publication.dossier import Grouped, GroupTotals, ItemPublication, Outlook
from veridex.core.scoring.exact import exact_array, rounded_array
from veridex.core.verdict.verdict import Verdict
from veridex.errors import ParameterError

__all__ = ["Grouping", "Member", "group_totals", "groupings"]


ALL = "all"
MOST_SHARED = 0.99


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
        The part of a standardised error that the items of a group have in common, from 0 to 1.
    """

    column: str
    members: dict[str, tuple[str, ...]]
    left_out: tuple[str, ...]
    shared: float

    def said(self) -> Grouped:
        """What the publication says of it."""
        return Grouped(self.column, self.shared, self.left_out)


@dataclass(frozen=True, slots=True, eq=False)
class Member:
    """An item with a forecast: what is published for it, its paths by grouping, its forecasts at past origins."""

    published: ItemPublication
    paths: tuple[FloatArray, ...]
    crossfit: Crossfit | None

    @property
    def outlook(self) -> Outlook:
        """Its forecast."""
        assert self.published.outlook is not None
        return self.published.outlook


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
    """The mean correlation of errors within groups that explains the errors of their sums.

    Of items with errors e the mean of (sum e)^2 is that of sum e^2 plus the correlation times (sum |e|)^2 - sum e^2,
    which is what they would add if they all had the same sign.
    """
    excess, room = 0.0, 0.0
    for items in groups.values():
        fits = _same_origins([verdict.choice(item).crossfit for item in items])
        if len(fits) > 1:
            errors, squares, sizes = reduce(add, map(Together.of, fits)).known()
            excess += float((np.square(errors) - squares).sum())
            room += float((np.square(sizes) - squares).sum())
    return min(max(excess / room, 0.0), MOST_SHARED) if room > 0.0 else 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Together:
    """How far several items were off together, cell by cell: without rounding, so that any order gives the same bits.

    Attributes
    ----------
    errors, squares, sizes : ndarray of int, shape (O, H)
        Sums of errors, their squares and their sizes.
    lost : ndarray of int, shape (O, H)
        Items whose error is not known, or whose square no float reaches.
    """

    errors: NDArray[Any]
    squares: NDArray[Any]
    sizes: NDArray[Any]
    lost: IntArray

    @classmethod
    def of(cls, fit: Crossfit) -> "Together":
        """What one item adds."""
        e, squares = fit.errors, np.square(fit.errors)
        lost = (~np.isfinite(squares)).astype(np.int64)
        return cls(exact_array(e), exact_array(squares), exact_array(np.abs(e)), lost)

    def __add__(self, other: "Together") -> "Together":
        lost = self.lost + other.lost
        return Together(self.errors + other.errors, self.squares + other.squares, self.sizes + other.sizes, lost)

    def without(self, other: "Together") -> "Together":
        """The same without what was added before."""
        lost = self.lost - other.lost
        return Together(self.errors - other.errors, self.squares - other.squares, self.sizes - other.sizes, lost)

    def known(self) -> tuple[FloatArray, FloatArray, FloatArray]:
        """The sums of errors, squares and sizes in cells that every item has."""
        at = self.lost == 0
        return rounded_array(self.errors[at]), rounded_array(self.squares[at]), rounded_array(self.sizes[at])


def _same_origins(fits: Sequence[Crossfit | None]) -> list[Crossfit]:
    """Those that were tested at the origins most of them were."""
    present = [fit for fit in fits if fit is not None]
    keys = [fit.origins.tobytes() for fit in present]
    if not keys:
        return []
    usual = max(sorted(set(keys)), key=keys.count)
    return [fit for fit, key in zip(present, keys, strict=True) if key == usual]


@np.errstate(all="ignore")
def group_totals(grouping: Grouping, place: int, found: Mapping[str, Member], wanted: Wanted) -> list[GroupTotals]:
    """The totals of each group, calibrated by the errors of the same totals at past origins."""
    made = []
    for name, items in grouping.members.items():
        members = [found[item] for item in items if item in found]
        if not members:
            continue
        steps = min(one.published.horizon for one in members)
        points = np.sum([one.outlook.points[:steps] for one in members], axis=0)
        paths = np.sum([one.paths[place][:, :steps] for one in members], axis=0)
        scales = np.sum([one.outlook.std_error[:steps] for one in members], axis=0)
        fits = _same_origins([one.crossfit for one in members])
        # Items that were not tested alike are taken to go wrong, for their standard errors, as the others do.
        together = _added(fits) if 2 * len(fits) >= len(members) else None
        totals, levels = np.cumsum(points), wanted.all_levels
        simulated = simulated_bounds(totals, paths, levels)
        made.append(
            GroupTotals(
                group=grouping.column,
                name=name,
                items=len(members),
                origin=members[0].published.origin,
                totals=totals,
                bands=calibrated_totals(totals, scales, simulated, together, levels, wanted.kind),
                tested=max((one.published.tested for one in members), key=len) if together is not None else range(0),
            )
        )
    return made


def _added(fits: Sequence[Crossfit]) -> Crossfit:
    """The forecasts of several items added up; their standard errors as if all errors went together."""

    def total(name: str) -> FloatArray:
        return np.asarray(np.sum([getattr(fit, name) for fit in fits], axis=0))

    first = fits[0]
    bounds = (total("lower"), total("upper"))
    return Crossfit(first.origins, total("actuals"), total("points"), total("std_error"), *bounds, first.levels)
