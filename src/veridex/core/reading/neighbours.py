"""The season of an item as its neighbours show it, by what was known at a moment.

Each item's demand is divided by its own level, so that what is left can be laid over one another: a profile, one ratio
per period of the season. The neighbours' profiles are pooled without the item's own (Dalhart, 1974, APICS Annual
Conference; Withycombe, 1989, International Journal of Forecasting 5, 547-552); how far an item follows them, and how
far it goes ways of its own, is drawn towards what the group shows by the evidence (Chen and Boylan, 2007, Journal of
the Operational Research Society 58, 1660-1671, on when the group's season is the better one; the shrinking is that of
Morris, 1983, Journal of the American Statistical Association 78, 47-55).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.numerics.seasons.lending import lend
from veridex.core.numerics.seasons.profile import season_profile
from veridex.errors import ParameterError

__all__ = ["FOUND", "Seasons", "ends_of", "lent_now", "seasons_at"]

FOUND = ""
"""The column of a group that is found: items whose profiles go together."""

MOST_NEIGHBOURS = 300
"""Items of a larger portfolio look for their group among so many, evenly spaced in the order of their names."""

MOST_FOLDS = 12
"""Parts of a season that are left out in turn."""

PRIOR_VALUES = 4.0
"""The noise of all items counts as so many values of each."""

LOWEST, HIGHEST = 0.02, 20.0
"""A period's share of the level lies between these."""

STEEPEST = 1.5
"""The most that an item may swing wider than its group."""


@dataclass(frozen=True, slots=True, eq=False)
class Seasons:
    """The seasons of items at moments of their own, all of them end to end.

    Attributes
    ----------
    rows : dict of str to slice
        Those of each item.
    both : ndarray, shape (all moments, 2, season)
        Ratios to the level for the periods that follow each moment, from the first on, NaN where nobody has shown a
        period of the season yet; and their standard errors.
    clear : ndarray, shape (all moments,)
        How much wider a season swings than the noise in the item's own profile.
    """

    rows: dict[str, slice]
    both: FloatArray
    clear: FloatArray

    @classmethod
    def unknown(cls, moments: Mapping[str, IntArray], season: int) -> "Seasons":
        """What nobody has shown anything of."""
        ends = np.cumsum([own.size for own in moments.values()], dtype=np.int64).tolist()
        rows = {name: slice(end - own.size, end) for (name, own), end in zip(moments.items(), ends, strict=True)}
        count = ends[-1] if ends else 0
        return cls(rows, np.full((count, 2, season), np.nan), np.zeros(count))

    def lent(self, item: str) -> FloatArray:
        """What methods borrow: the ratios of an item and their standard errors, shape (moments, 2, season)."""
        return self.both[self.rows[item]]

    def clarity(self, item: str) -> FloatArray:
        """How clear the season of an item was, shape (moments,)."""
        return self.clear[self.rows[item]]


def seasons_at(history: History, column: str, moments: Mapping[str, IntArray], window: int | None = None) -> Seasons:
    """The season that each item may borrow, at moments of its own.

    Parameters
    ----------
    history : History
    column : str
        The key column that groups items; empty for groups that are found.
    moments : mapping of str to ndarray of int
        Ordinals of the last known period, of the items that borrow.
    window : int, optional
        What an item shows of itself is cut to so many periods, where others see it whole.

    Raises
    ------
    ParameterError
        If there is no such column.
    """
    names = sorted(history.names)
    series = [history[name] for name in names]
    groups = _groups(history, column, names)
    season = history.season_length
    found = Seasons.unknown(moments, season)
    if season < 2 or not moments:
        return found
    for moment in np.unique(np.concatenate(list(moments.values()))).tolist():
        lent = _at(series, groups, moment, season, window)
        phases = (moment + 1 + np.arange(season)) % season
        for i, name in enumerate(names):
            if name in moments:
                at = moments[name] == moment
                found.lent(name)[at, 0] = lent.ratios[i, phases]
                found.lent(name)[at, 1] = lent.spreads[i, phases]
                found.clarity(name)[at] = lent.clarity[i]
    return found


def ends_of(history: History) -> dict[str, IntArray]:
    """The last period of each item."""
    return {one.item: np.array([one.start + len(one) - 1], dtype=np.int64) for one in history}


def lent_now(history: History, columns: Sequence[str]) -> dict[str, dict[str, FloatArray]]:
    """By item and column what neighbours lend at the end of its history, shape (2, season)."""
    ends = ends_of(history)
    found = {column: seasons_at(history, column, ends) for column in columns}
    return {item: {column: one.lent(item)[0] for column, one in found.items()} for item in ends}


def _groups(history: History, column: str, names: Sequence[str]) -> list[IntArray] | None:
    """The places of the items of each group; None where groups are to be found."""
    if column == FOUND:
        return None
    if column not in history.key_columns:
        known = ", ".join(history.key_columns) or "none but the item itself"
        raise ParameterError("group", repr(column), f"group by a key column of the history; it has {known}")
    place = history.key_columns.index(column)
    labels = np.array([history.keys[name][place] for name in names])
    return [np.flatnonzero(labels == label) for label in np.unique(labels)]


class Profiles(NamedTuple):
    """Ratios of items to their levels, by phase, each of shape (items, season): means, numbers, squares about means."""

    means: FloatArray
    counts: FloatArray
    squares: FloatArray

    def of(self, places: IntArray) -> "Profiles":
        """Those of some of the items."""
        return Profiles(*(part[places] for part in self))

    @property
    def off(self) -> FloatArray:
        """How far the means lie off the level; zero where nothing is known."""
        return np.where(self.counts > 0.0, self.means - 1.0, 0.0)


@np.errstate(all="ignore")
def _at(
    series: Sequence[ItemHistory], groups: list[IntArray] | None, moment: int, season: int, window: int | None = None
) -> "Lent":
    """The seasons of items, by phase, as known at a moment."""
    lent = _profiles(series, moment, season, None)
    own = lent if window is None else _profiles(series, moment, season, window)
    if groups is None:
        return _shrunk(own, *_found(own, lent))
    shape = own.means.shape
    found = Lent(np.full(shape, np.nan), np.full(shape, np.nan), np.zeros(shape[0]))
    for places in groups:
        pooled = _pooled(lent.of(places), 1.0 - np.eye(places.size))
        part = _shrunk(own.of(places), pooled, pooled)
        for whole, own_part in zip(found, part, strict=True):
            whole[places] = own_part
    return found


def _profiles(series: Sequence[ItemHistory], moment: int, season: int, window: int | None) -> Profiles:
    """What each item shows up to a moment, of all that is known or of the last periods."""
    known = Profiles(*(np.zeros((len(series), season)) for _ in range(3)))
    for i, one in enumerate(series):
        stop = moment + 1 - one.start
        first = 0 if window is None else max(stop - window, 0)
        if stop > 0:
            shown, phase = np.array(one.actuals[first:stop]), (one.start + first) % season
            season_profile(shown, phase, True, *(part[i] for part in known))
    return known


class Lent(NamedTuple):
    """Ratios (items, season) by phase, their standard errors, and how much wider they swing than the noise in an item's
    own profile.
    """

    ratios: FloatArray
    spreads: FloatArray
    clarity: FloatArray


def _found(own: Profiles, lent: Profiles) -> tuple[FloatArray, FloatArray]:
    """The season of the items whose profiles go with an item's, and what it is without looking at a phase.

    Who goes with an item is chosen by its profile, noise included. How far the item follows is therefore told by the
    second one, of which each phase comes from neighbours that were chosen by the other phases.
    """
    items, season = own.means.shape
    chosen = np.unique(np.linspace(0, items - 1, min(items, MOST_NEIGHBOURS)).round().astype(np.int64))
    lenders, folds = lent.of(chosen), np.arange(season) % MOST_FOLDS
    whole, blind = np.empty((2, items, season))
    lend(own.off, own.counts, lenders.off, lenders.counts, chosen, folds, whole, blind)
    return _level(1.0 + whole), _level(1.0 + blind)


def _level(pooled: FloatArray) -> FloatArray:
    """Ratios (items, season) about a level of one; NaN where a phase is missing."""
    return np.asarray(pooled / pooled.mean(axis=1, keepdims=True))


def _pooled(lenders: Profiles, weights: FloatArray) -> FloatArray:
    """The lenders' ratios (items, season), about a level of one; NaN where none has shown a phase."""
    return _level(weights @ (lenders.counts * lenders.means) / (weights @ lenders.counts))


def _shrunk(known: Profiles, pooled: FloatArray, blind: FloatArray) -> Lent:
    """The neighbours' season as far as an item follows it, and its own as far as it shows.

    Parameters
    ----------
    known : Profiles
    pooled, blind : ndarray, shape (items, season)
        The neighbours' ratios, and those that tell how far an item follows them.
    """
    counts, off = known.counts, known.off
    seen = (counts > 0.0) & np.isfinite(blind)
    theirs = np.where(seen, blind - 1.0, 0.0)
    room = (counts * np.square(theirs)).sum(axis=1)
    slopes = (counts * off * theirs).sum(axis=1) / room
    rest = np.where(seen, off - np.nan_to_num(slopes)[:, None] * theirs, 0.0)
    # Where hardly any phase was seen twice, what does not follow the neighbours is taken as noise.
    twice = np.maximum(counts - 1.0, 0.0).sum(axis=1)
    noise = _leant(known.squares.sum(axis=1), twice, (counts * np.square(rest)).sum(axis=1), seen.sum(axis=1))
    follows, unsure = _drawn(slopes, noise / room)
    expected = np.where(np.isfinite(pooled), follows[:, None] * (pooled - 1.0), 0.0)
    rest = np.where(counts > 0.0, off - expected, 0.0)
    # What is left of an item is its own season as far as it is more than noise would leave.
    more = np.where(counts > 0.0, counts * np.square(rest) - noise[:, None], 0.0).sum(axis=1)
    excess = np.maximum((more + more.mean()) / (counts.sum(axis=1) + counts.sum(axis=1).mean()), 0.0)[:, None]
    trust = np.nan_to_num(excess / (excess + noise[:, None] / np.maximum(counts, 1e-9)))
    own = rest * trust
    # What is not known of a phase: how far it goes ways of its own, and how far the item follows the others.
    spreads = np.sqrt(excess * (1.0 - trust) + unsure[:, None] * np.square(np.nan_to_num(pooled - 1.0)))
    ratios = np.clip(1.0 + expected + own, LOWEST, HIGHEST)
    ratios = ratios / ratios.mean(axis=1, keepdims=True)
    ratios[~(np.isfinite(pooled) | (counts > 0.0)).all(axis=1)] = np.nan
    clarity = ratios.std(axis=1) / np.sqrt(noise / counts.mean(axis=1))
    return Lent(ratios, spreads, np.nan_to_num(clarity, posinf=0.0))


def _leant(squares: FloatArray, count: FloatArray, spare: FloatArray, spares: FloatArray) -> FloatArray:
    """Variances of each item, drawn towards that of all of them; from what is left where no phase was seen twice."""
    if not squares.sum() > 0.0:
        squares, count = spare, spares.astype(np.float64)
    has = count > 0.0
    pooled = float(np.median(squares[has] / count[has])) if has.any() else 0.0
    return np.asarray((squares + PRIOR_VALUES * pooled) / (count + PRIOR_VALUES))


def _drawn(slopes: FloatArray, variances: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Slopes drawn towards their mean over the group, by how far they lie apart for other reasons than noise.

    And the variances that are left of them.
    """
    known = np.isfinite(slopes) & np.isfinite(variances)
    if not known.any():
        return np.zeros(slopes.shape), np.zeros(slopes.shape)
    trust = 1.0 / np.maximum(variances[known], 1e-12)
    mean = float((trust * slopes[known]).sum() / trust.sum())
    chi = float((trust * np.square(slopes[known] - mean)).sum())
    # The method of moments of DerSimonian and Laird (1986), Controlled Clinical Trials 7, 177-188.
    apart = max(chi - (known.sum() - 1.0), 0.0) / max(float(trust.sum() - np.square(trust).sum() / trust.sum()), 1e-12)
    share = np.where(known, apart / (apart + np.nan_to_num(variances, nan=np.inf)), 0.0)
    return np.clip(mean + share * (np.nan_to_num(slopes) - mean), 0.0, STEEPEST), apart * (1.0 - share)
