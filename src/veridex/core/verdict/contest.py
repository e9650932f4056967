"""Who competes for an item, and how good each is held to be, as it was known at every origin and now."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.backtest.cutting import FEWEST_KIN
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.lineup import SEASONAL
from veridex.core.backtest.trial import Trial
from veridex.core.history.lengths import CLEAR, PLAIN, SHADES, cycles_at, length_class, stage_of
from veridex.core.methods.method import Method
from veridex.core.periods.moments import NOW
from veridex.core.reading.item_reading import ItemReading
from veridex.core.verdict.completed import Completed
from veridex.core.verdict.evidence import Entry, Evidence
from veridex.core.verdict.group_sums import GroupSums
from veridex.core.verdict.skill import Kin, Prior, Said, shrunk

__all__ = ["Contest", "Field", "said_of"]


ONE_SEASON = range(1, 4)
"""Classes of length from one season to two and a half: what shows a season, but hardly a test of it."""


@dataclass(frozen=True, slots=True, eq=False)
class Field:
    """Who competes for an item, by what it says itself.

    Attributes
    ----------
    one : ItemTrial
    evidence : Evidence
    rivals : tuple of Entry
        All tested.
    fallback : Entry or None
        The benchmark, if it keeps to the planner's conditions: published where nothing beats it.
    unmet : tuple of str
        Conditions that no method meets and that were set aside.
    untested : tuple of Entry
        Methods that may compete, but could not be tested on this item.
    said : mapping of Kin to Said
        What the item has added to the portfolio's prior.
    """

    one: ItemTrial
    evidence: Evidence
    rivals: tuple[Entry, ...]
    fallback: Entry | None
    unmet: tuple[str, ...]
    untested: tuple[Entry, ...]
    said: Mapping[Kin, Said]


@np.errstate(all="ignore")
def said_of(trial: Trial, one: ItemTrial, counted: BoolArray, power: float) -> dict[Kin, Said]:
    """What an item says of its methods, by the length of history shown at the origins; all origins are heard."""
    stages = _stages(trial, one)
    losses = np.abs(one.actuals - one.points) ** power
    found = {}
    for stage in np.unique(stages[counted.any(axis=1)]).tolist():
        own = counted & (stages == stage)[:, None]
        window = own.sum() / own.any(axis=1).sum()
        found[Kin(power, stage)] = Said.of(Completed.of(losses, own, one.origins), power, float(window))
    return found


def _stages(trial: Trial, one: ItemTrial) -> IntArray:
    """What methods were shown at origins, shape (O,): how long a history, and whether its season was clear."""
    series, window = trial.history[one.item], trial.scheme.training_window
    cycles = cycles_at(series, one.origins)
    lengths = length_class(cycles if window is None else cycles - cycles_at(series, one.origins - window))
    return stage_of(lengths, one.clarity)


@dataclass(frozen=True, eq=False)
class Contest:
    """The methods that compete for an item, and how good they are.

    The prior is that of all items; `together` is what the sums of groups show, where that tells more than the items.
    """

    trial: Trial
    field: Field
    prior: Prior
    together: GroupSums

    @property
    def evidence(self) -> Evidence:
        """The item's own."""
        return self.field.evidence

    @property
    def fallback(self) -> Entry | None:
        """The benchmark, if it keeps to the planner's conditions."""
        return self.field.fallback

    @cached_property
    def tested(self) -> tuple[Entry, ...]:
        """The rivals that were tested on the item itself.

        Where others vouch for more, the simple methods of short histories that are not on the shortlist stand back:
        alike as they are, they would outvote the rest.
        """
        return tuple(one for one in self.field.rivals if not self._vouched or one.method in self._seeing)

    @property
    def rivals(self) -> tuple[Entry, ...]:
        """The tested ones, then those that other items vouch for from histories as long as this one is now."""
        return (*self.tested, *self._vouched)

    @property
    def places(self) -> list[int]:
        """Those of the rivals in the lineup."""
        return self._at(self.rivals)

    @cached_property
    def stages(self) -> IntArray:
        """What methods were shown at the origins, shape (O,)."""
        return _stages(self.trial, self.field.one)[self.evidence.route.origins]

    @property
    def reading(self) -> ItemReading:
        """What the item is taken for."""
        return self.trial.readings[self.evidence.item.item]

    @cached_property
    def stage(self) -> int:
        """What methods are shown now."""
        return int(stage_of(np.array(self.reading.length), np.array(self.reading.clarity)))

    @cached_property
    def kin(self) -> int:
        """Other items whose histories were as long as this one is now."""
        entries = (*self.field.rivals, *self.field.untested)
        _, items = self._prior(self.stage, self._at(entries), np.array([NOW]))
        return int(items.max(initial=0))

    @property
    def unseen(self) -> bool:
        """Whether the history shows a season, and nothing tells how methods do from a history as long."""
        shown = self.reading.clarity > CLEAR
        return shown and self.longer and self.reading.length in ONE_SEASON and self.kin < FEWEST_KIN

    @property
    def longer(self) -> bool:
        """Whether the item is forecast from a length of history that none of its own origins had."""
        return self.reading.length > int(self.stages.max(initial=-1)) // SHADES

    @cached_property
    def drawn(self) -> FloatArray:
        """Shrunk logs of the rivals' errors as they are known now, shape (rivals,)."""
        found: FloatArray = self._shrunk(self.places, np.array([NOW]), np.array([self.stage]))[0]
        return found

    @cached_property
    def drawn_then(self) -> FloatArray:
        """The same of the tested ones as it was known at each origin, shape (O, tested)."""
        return self._shrunk(self._at(self.tested), self.evidence.origins, self.stages)

    @cached_property
    def drawn_without(self) -> FloatArray:
        """The same as it is known now, but for each origin in turn, shape (O, tested)."""
        places, evidence = self._at(self.tested), self.evidence
        sizes = np.where(evidence.known, evidence.losses[places], 0.0).sum(axis=2).T
        cells = evidence.known.sum(axis=1)
        rest = np.maximum(cells.sum() - cells, 1)
        moments, stages = np.full(cells.size, NOW), np.full(cells.size, self.stage)
        return self._drawn(places, (sizes.sum(axis=0) - sizes) / rest[:, None], rest, moments, stages)

    def _at(self, entries: tuple[Entry, ...]) -> list[int]:
        return [self.trial.method_index(entry.method) for entry in entries]

    @property
    def plain(self) -> bool:
        """Whether a season is plain to see that was in no test, and others vouch for what sees one."""
        return bool(self._vouched) and self._seeing != self.evidence.route.listed

    @property
    def _seeing(self) -> tuple[Method, ...]:
        """The shortlist; of an item whose season is plain, but was in no test, what sees one."""
        listed = self.evidence.route.listed
        plain = self.reading.clarity > PLAIN
        seasonal = tuple(one for one in listed if one.name in SEASONAL)
        return seasonal if plain and self.reading.length in ONE_SEASON and len(seasonal) > 1 else listed

    @cached_property
    def _vouched(self) -> tuple[Entry, ...]:
        entries = tuple(one for one in self.field.untested if one.method in self._seeing)
        if not entries or not self.longer:
            return ()
        _, items = self._prior(self.stage, self._at(entries), np.array([NOW]))
        return tuple(entry for entry, count in zip(entries, items[0], strict=True) if count >= FEWEST_KIN)

    @cached_property
    def _priors(self) -> dict[tuple[Any, ...], tuple[FloatArray, IntArray]]:
        return {}

    def _prior(self, stage: int, places: list[int], moments: IntArray) -> tuple[FloatArray, IntArray]:
        """What others showed of methods at a stage, as known at moments; once for all that ask."""
        asked = moments[:1] if moments.size and (moments == moments[0]).all() else moments
        key = (stage, tuple(places), asked.tobytes())
        if key not in self._priors:
            kin = Kin(self.evidence.power, stage)
            self._priors[key] = self.prior.means(kin, self.field.said.get(kin), places, asked)
        means, items = self._priors[key]
        shape = (moments.size, len(places))
        return np.broadcast_to(means, shape), np.broadcast_to(items, shape)

    @np.errstate(all="ignore")
    def _shrunk(self, places: list[int], moments: IntArray, stages: IntArray) -> FloatArray:
        means, cells = self.evidence.done.means(moments)
        return self._drawn(places, means[:, places], cells, moments, stages)

    @np.errstate(all="ignore")
    def _drawn(
        self, places: list[int], means: FloatArray, cells: IntArray, moments: IntArray, stages: IntArray
    ) -> FloatArray:
        """Mean losses (moments, methods) over so many cells, drawn towards what others showed."""
        own = np.log(np.maximum(means, 1e-12)) / self.evidence.power
        alike = self._alike(places, moments)
        aim = alike.copy()
        for stage in np.unique(stages).tolist():
            rows = stages == stage
            found, items = self._prior(stage, places, moments[rows])
            heard = items.max(axis=1, initial=0) >= FEWEST_KIN
            aim[np.flatnonzero(rows)[heard]] = found[heard]
        found = shrunk(own, cells / max(self.evidence.window, 1.0), alike, aim)
        return found + self.together.logs(self.evidence.item.item, places, moments)

    @np.errstate(all="ignore")
    def _alike(self, places: list[int], moments: IntArray) -> FloatArray:
        """What others showed from histories as long as the item's were at the errors that it is judged by."""
        if moments.size > 1 and (moments == moments[0]).all():
            return np.broadcast_to(self._alike(places, moments[:1]), (moments.size, len(places)))
        known, origins = self.evidence.known, self.evidence.origins
        ends = origins[:, None] + np.arange(1, known.shape[1] + 1)
        total, weight = np.zeros((2, moments.size, len(places)))
        for stage in np.unique(self.stages).tolist():
            own = np.sort(ends[known & (self.stages == stage)[:, None]])
            cells = np.maximum(np.searchsorted(own, moments, side="right"), 1e-9)[:, None]
            logs, _ = self._prior(stage, places, moments)
            total += np.nan_to_num(cells * logs)
            weight += cells * ~np.isnan(logs)
        return np.asarray(total / weight)
