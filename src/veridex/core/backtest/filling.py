"""Filling a store: what is held already is taken over, what was begun is gone on with, the rest is run."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from veridex.core.arrays import FloatArray
from veridex.core.backtest.engine import Engine, Progress, Tasks
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.item_run import Begun, ItemWork, Task
from veridex.core.backtest.store import Keeper, Kept, Store
from veridex.core.history.history import History
from veridex.core.reading.neighbours import FOUND, Seasons

__all__ = ["Filling"]


class Left(NamedTuple):
    """The place of an item of which something is left to be run, and whether its first folds were run before."""

    place: int
    begun: bool


class Earlier(NamedTuple):
    """Methods whose first folds were run before, what is known of these, and what they brought."""

    places: tuple[int, ...]
    begun: Begun
    before: ItemTrial


@dataclass(frozen=True, slots=True)
class Filling:
    """A store that is filled with what a work brings of the items of a history.

    Attributes
    ----------
    store : Store
    work : ItemWork
    history : History
    seasons : mapping of str to Seasons
        By column, what items show of theirs.
    held : sequence of Kept
        Where else results may be.
    """

    store: Store
    work: ItemWork
    history: History
    seasons: Mapping[str, Seasons]
    held: Sequence[Kept]

    def run(self, engine: Engine, progress: Progress | None, checkpoint: Keeper | None) -> None:
        """Take over what is held under the same keys, go on from what was begun, run the rest, and keep it."""
        missing = self._missing()
        waiting = Counter(left.place for lefts in missing.values() for left in lefts)
        done = len(self.history) - len(waiting)
        for places, lefts in missing.items():
            part = self.work.only(places)
            for left, found in zip(lefts, engine.map(part, self._tasks(lefts, places), part.lost), strict=True):
                if left.begun:
                    earlier = self._earlier(self.task(left.place), places)
                    assert earlier is not None
                    found.taken_over(earlier.before)
                self.store.put(found, places)
                if checkpoint is not None and not any(found.lost):
                    checkpoint.keep(found)
                waiting[left.place] -= 1
                done += not waiting[left.place]
                if progress is not None:
                    progress(done, len(self.history))

    def task(self, place: int) -> Task:
        """All that is known of the item at a place."""
        series = self.history.at(place)
        columns = dict.fromkeys(column for one in self.work.lineup for column in one.borrows)
        lent: dict[str, FloatArray] = {column: self.seasons[column].lent(series.item) for column in columns}
        return Task(series, lent, self.seasons[FOUND].clarity(series.item))

    def _tasks(self, lefts: Sequence[Left], places: tuple[int, ...]) -> Tasks[Task]:
        """What is left, made when it is handed out."""

        def make(k: int) -> Task:
            task = self.task(lefts[k].place)
            if not lefts[k].begun:
                return task
            earlier = self._earlier(task, places)
            return task if earlier is None else replace(task, begun=earlier.begun)

        return Tasks(make, len(lefts))

    def _missing(self) -> dict[tuple[int, ...], list[Left]]:
        """Which methods are left to be run, and for which items; what is held of the others is put into the store."""
        missing: dict[tuple[int, ...], list[Left]] = {}
        everything = tuple(range(len(self.work.lineup)))
        for place, item in enumerate(self.history.names):
            if not self.held:
                missing.setdefault(everything, []).append(Left(place, False))
                continue
            task = self.task(place)
            keys = self.work.keys(task)
            if self.store.holds(item, keys):
                continue
            left = self._taken_over(task, keys, everything)
            earlier = self._earlier(task, left)
            if earlier is not None:
                missing.setdefault(earlier.places, []).append(Left(place, True))
            rest = tuple(m for m in left if earlier is None or m not in earlier.places)
            if rest:
                missing.setdefault(rest, []).append(Left(place, False))
        return missing

    def _taken_over(self, task: Task, keys: tuple[str, ...], left: tuple[int, ...]) -> tuple[int, ...]:
        """Put what is held of an item's methods into the store, and say which are left."""
        for known in self._held(task):
            at = {key: m for m, (key, lost) in enumerate(zip(known.keys, known.lost, strict=True)) if not lost}
            same = [m for m in left if keys[m] in at]
            if same:
                taken = known.of_methods([at[keys[m]] for m in same])
                # What is taken over was made among other neighbours.
                self.store.put(replace(taken, clarity=task.clarity), same)
                left = tuple(m for m in left if m not in same)
        return left

    def _held(self, task: Task) -> list[ItemTrial]:
        return [known for kept in self.held for known in kept.held(task.series.item)]

    def _earlier(self, task: Task, left: tuple[int, ...]) -> Earlier | None:
        """The methods whose first folds were run before, as they would be run now; None where there are none."""
        trailing = [known for known in self._held(task) if known.trail is not None] if self.work.trailing else []
        links = self.work.links(task) if trailing and left else ()
        for known in trailing if links else ():
            assert known.trail is not None
            ended = {own[-1]: m for m, own in enumerate(known.trail.links) if own and not known.lost[m]}
            count = len(known.trail.links[0])
            same = tuple(m for m in left if count < len(links[m]) and links[m][count - 1] in ended)
            if same:
                before = known.of_methods([ended[links[m][count - 1]] for m in same])
                assert before.trail is not None
                begun = Begun(count, before.trail.memories, tuple(links[m] for m in same))
                return Earlier(same, begun, before)
        return None
