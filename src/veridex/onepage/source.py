"""`Source`: the values that a board is made of."""

from dataclasses import dataclass, field
from functools import cached_property

from veridex.core.backtest.trial import Trial
from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.groups import ALL
from veridex.core.publication.publication import Publication
from veridex.core.publication.record.record import TrackRecord
from veridex.core.publication.watch.watch import Watch
from veridex.core.verdict.verdict import Verdict

__all__ = ["Source"]


@dataclass(frozen=True, eq=False, kw_only=True)
class Source:
    """What a board shows.

    Attributes
    ----------
    publication : Publication
    tested : Trial or Verdict or None
        What the forecasts were tested to be; of a verdict also what it would have decided at each origin.
    watch : Watch or None
        Of an earlier publication.
    record : TrackRecord or None
    before : Publication or None
        The publication before.
    """

    publication: Publication
    tested: Trial | Verdict | None = field(default=None, repr=False)
    watch: Watch | None = None
    record: TrackRecord | None = None
    before: Publication | None = None

    @property
    def trial(self) -> Trial | None:
        """The trial, or that of the verdict."""
        return self.tested.trial if isinstance(self.tested, Verdict) else self.tested

    @cached_property
    def span(self) -> tuple[int, int]:
        """Ordinals of the first period that any item has, and of the one behind the last."""
        first = last = None
        for one in self.items:
            begins, ends = one.origin + 1 - one.past.size, one.origin + 1 + max(one.horizon, 0)
            first = begins if first is None else min(first, begins)
            last = ends if last is None else max(last, ends)
        return (first or 0), (last or 1)

    @cached_property
    def columns(self) -> dict[str, dict[str, str]]:
        """Key columns, and the groups that totals were published of: what each item is there."""
        found: dict[str, dict[str, str]] = {}
        for group in self.publication.groups:
            if group.group != ALL:
                found.setdefault(group.group, {}).update(dict.fromkeys(group.members, group.name))
        history = None if self.trial is None else self.trial.history
        if history is not None and len(history.key_columns) > 1:
            for place, column in enumerate(history.key_columns):
                found[column] = {item: keys[place] for item, keys in history.keys.items()}
        return found

    @cached_property
    def items(self) -> tuple[ItemPublication, ...]:
        """What is published, item by item; of a publication on disk it is read once."""
        return tuple(self.publication.published.values())
