"""Items published by workers who have neither the trial nor the portfolio: each comes with what it needs of them."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, NamedTuple

from veridex.core.arrays import FloatArray
from veridex.core.backtest.trial import Trial
from veridex.core.history.item import ItemHistory
from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.edition import Edition
from veridex.core.publication.item import ItemWork, nothing_of
from veridex.core.publication.preparing import Preparation, columns_for, task_of
from veridex.core.reading.item_reading import ItemReading
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.verdict import Verdict

__all__ = ["Case", "ItemElsewhere", "cases_of"]


class Case(NamedTuple):
    """An item by itself.

    Attributes
    ----------
    series : ItemHistory
    reading : ItemReading
        What it is taken for, among the others.
    trial : Trial
        Of the item alone.
    choice : Choice or None
        Where it was made already.
    heard : optional
        What it is made of, where it was not.
    lent : mapping of str to ndarray
        Seasons that neighbours lend, for all methods that may borrow one.
    """

    series: ItemHistory
    reading: ItemReading
    trial: Trial
    choice: Choice | None
    heard: Any
    lent: Mapping[str, FloatArray]


@dataclass(frozen=True, slots=True, eq=False)
class ItemElsewhere:
    """Choose, prepare, publish; called with a case.

    Attributes
    ----------
    work : ItemWork
    asked : Edition
    verdict : Verdict
        What holds for all items.
    choose : callable or None
        Makes a choice of what was heard.
    """

    called: ClassVar[str] = "publish"

    work: ItemWork
    asked: Edition
    verdict: Verdict
    choose: Callable[[Any], Choice] | None

    @classmethod
    def of(cls, work: ItemWork, asked: Edition, verdict: Verdict) -> "ItemElsewhere":
        """What every worker is given once."""
        elsewhere = verdict.choices.elsewhere
        return cls(work, asked, verdict.without_items(), None if elsewhere is None else elsewhere.choose)

    def __call__(self, case: Case) -> ItemPublication:
        """Publish one item."""
        choice = case.choice
        if choice is None:
            assert self.choose is not None
            choice = self.choose(case.heard)
        own = self.verdict.about(case.trial, choice)
        return self.work(task_of(case.series, case.reading, own, self.asked, case.lent.__getitem__))

    def lost(self, case: Case) -> ItemPublication:
        """What is published for an item whose workers died: why there is nothing."""
        ahead = self.asked.ahead
        return nothing_of(case.series, case.reading, ahead.steps(case.series), ahead.periods(case.series))


def cases_of(prepared: Preparation, verdict: Verdict) -> Callable[[int], Case]:
    """Makes the case of the item at a place."""
    columns = dict.fromkeys(column for one in verdict.trial.lineup for column in one.borrows)
    elsewhere = verdict.choices.elsewhere

    def case(place: int) -> Case:
        series = prepared.history.at(place)
        # Where nobody else can make it, an item that the trial lacks is refused here.
        choice = verdict.choice(series.item) if elsewhere is None else verdict.choices.made(series.item)
        wanted = columns if choice is None else dict.fromkeys(columns_for(choice))
        lent = {column: prepared.lent(column, series.item) for column in wanted}
        if elsewhere is None or choice is not None:
            return Case(series, prepared.reading(series.item), verdict.trial.only(series.item), choice, None, lent)
        heard = elsewhere.case(series.item)
        return Case(series, prepared.reading(series.item), heard.trial, None, heard, lent)

    return case
