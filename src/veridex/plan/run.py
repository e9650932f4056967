"""`PlanRun`: what a run of a plan did, and how it is said to people and to machines."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any, NamedTuple

from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.methods.short_names import brief_name
from veridex.core.methods.words import counted
from veridex.core.publication.manifest import plain
from veridex.core.publication.publication import Publication
from veridex.core.publication.watch.happened import AS_EXPECTED, CHANCE
from veridex.core.publication.watch.watch import Watch
from veridex.core.readable import number
from veridex.core.verdict.verdict import Verdict
from veridex.errors.plans import Fault
from veridex.job.telling import Message

__all__ = ["Change", "PlanRun", "changes_between", "failure", "retold", "said_of"]

FEW = 5
"""Changes and alerts that a message names."""

CODES = {"done": 0, "unchanged": 0, "alerts": 3}


class Change(NamedTuple):
    """An item whose method is another than in the last publication, or would be had it not been kept."""

    item: str
    before: str
    now: str
    status: str
    reason: str


@dataclass(frozen=True, kw_only=True, eq=False)
class PlanRun:
    """What a run of a plan did.

    Attributes
    ----------
    plan : Path
    only : str or None
    at : datetime
        When it began; the instant of `as_of` where that was stated.
    outcome : {"done", "unchanged", "alerts"}
    key : str
        A fingerprint of plan and data.
    history : History
    trial, verdict, publication, watch
        What it brought; None of what was not asked for, or stood already.
    changes : tuple of Change
    to : tuple of str
        Where it published, without credentials.
    seconds : mapping of str to float
        By part of the work.
    untold : tuple of Fault
        Who could not be told, and why.
    """

    plan: Path
    only: str | None
    at: datetime
    outcome: str
    key: str
    history: History = field(repr=False)
    trial: Trial | None = field(default=None, repr=False)
    verdict: Verdict | None = field(default=None, repr=False)
    publication: Publication | None = field(default=None, repr=False)
    watch: Watch | None = None
    changes: tuple[Change, ...] = field(default=(), repr=False)
    to: tuple[str, ...] = ()
    seconds: Mapping[str, float] = field(default_factory=dict, repr=False)
    untold: tuple[Fault, ...] = ()

    @property
    def code(self) -> int:
        """The exit code: 0 done, 2 somebody could not be told, 3 done and there are alerts."""
        return 2 if self.untold else CODES[self.outcome]

    def entry(self) -> dict[str, Any]:
        """The line of the journal."""
        alerts = None if self.watch is None else len(self.watch.alerts)
        return {
            "at": self.at.isoformat(timespec="seconds"),
            "only": self.only,
            "outcome": self.outcome,
            "key": self.key,
            "items": len(self.history),
            "published": None if self.publication is None else len(self.publication.items),
            "to": list(self.to),
            "changed": sum(one.status == "changed" for one in self.changes),
            "kept": sum(one.status == "kept" for one in self.changes),
            "alerts": alerts,
            "seconds": {name: round(value, 2) for name, value in self.seconds.items()},
            "untold": [one.path for one in self.untold],
        }

    def message(self) -> Message:
        """What somebody is told."""
        facts = {"plan": self.plan.name, **self.entry(), "changes": [one._asdict() for one in self.changes]}
        if self.watch is not None:
            alerts = self.watch.alerts
            text = self.history.cadence.iso(alerts["period"].to_numpy())
            facts["watch"] = [plain(row) for row in alerts.assign(period=text).to_dict("records")]
        lines = self.lines()
        return Message(self.outcome, f"{self.plan.name}: {self.in_words()}", "\n".join(lines), facts)

    def in_words(self) -> str:
        """What was done, in a few words."""
        if self.outcome == "unchanged":
            return "nothing has changed"
        said = []
        if self.publication is not None:
            said.append(f"{counted(len(self.publication.items), 'item')} published")
        elif self.trial is not None:
            said.append(f"{counted(len(self.history), 'item')} tested")
        if self.watch is not None and len(self.watch.frame):
            said.append(counted(len(self.watch.alerts), "alert"))
        return ", ".join(said) or "done"

    def lines(self) -> list[str]:
        """The summary that a person reads, a sentence a line."""
        took = number(sum(self.seconds.values()), 2)
        found = [f"{self.plan}, run of {self.at.isoformat(' ', 'minutes')}: {self.in_words()}, in {took} s."]
        if self.outcome == "unchanged":
            where = ", ".join(self.to)
            found.append(f"Data and plan are those of the publication in {where}, which stands as it is.")
        elif self.publication is not None:
            head = self.publication.head
            ahead = f"until {head.until}" if head.until else f"{self.history.cadence.length(head.horizon)} ahead"
            found.append(f"Published {ahead}, from {head.demand.last}, in {', '.join(self.to)}.")
        found += self._changes_in_words()
        if self.watch is not None:
            found.append(f"Watch: {self.watch.in_words()}")
            found += [f"  {line}" for line in self._alerts_in_words()]
        return found

    def _changes_in_words(self) -> list[str]:
        found = []
        for status, said in (
            ("changed", "have another method than last time"),
            ("kept", "keep their method, though another would win now"),
        ):
            own = [one for one in self.changes if one.status == status]
            if own:
                one = len(own) == 1
                said = said.replace("have", "has").replace("keep their", "keeps its") if one else said
                found.append(f"{counted(len(own), 'item')} {said}:")
                found += [f"  {one.item}: {one.before} -> {one.now} ({one.reason})" for one in own[:FEW]]
                found += [f"  and {len(own) - FEW} more" for _ in range(len(own) > FEW)]
        return found

    def _alerts_in_words(self) -> list[str]:
        assert self.watch is not None
        alerts, text = self.watch.alerts, self.history.cadence.text
        ordinals = self.history.cadence.ordinals(alerts["period"].to_numpy())
        happened = self.watch.items.set_index("item")["what"].to_dict()
        found = []
        for row, ordinal in zip(alerts.head(FEW).to_dict("records"), ordinals.tolist(), strict=False):
            band = f"{number(row['lower'])} to {number(row['upper'])}"
            said = f"{row['item']} {text(ordinal)}: {number(row['actual'])}, forecast {number(row['forecast'])}"
            what = happened[row["item"]]
            found.append(f"{said} ({band}){f', {what}' if what not in ('', CHANCE, AS_EXPECTED) else ''}")
        return found + [f"and {len(alerts) - FEW} more" for _ in range(len(alerts) > FEW)]


def changes_between(last: Publication | None, verdict: Verdict | None) -> tuple[Change, ...]:
    """Items whose method changed since the last publication, and those that kept theirs against a new winner."""
    if last is None or verdict is None:
        return ()
    found = []
    for item, choice in verdict.choices.items():
        before = None if item not in last.items else last[item].decided
        now = None if choice.winner is None else choice.winner.method
        if choice.kept is not None and choice.override is None:
            old, new = (now, choice.kept.other) if choice.kept.stays else (choice.kept.other, now)
            status = "kept" if choice.kept.stays else "changed"
            found.append(Change(item, _named(old), _named(new), status, choice.kept.because))
        elif before is not None and now is not None and before.name != now.name:
            reason = "decided anew" if choice.override is None else choice.override.reason
            found.append(Change(item, _named(before), _named(now), "changed", reason))
    return tuple(found)


def _named(method: Any) -> str:
    return "nothing" if method is None else brief_name(method)


def failure(
    plan: Path, at: datetime, only: str | None, problem: BaseException, ours: bool
) -> tuple[dict[str, Any], Message]:
    """The journal's line and the message of a run that failed."""
    said = f"{type(problem).__name__}: {problem}" if ours else str(problem)
    entry = {"at": at.isoformat(timespec="seconds"), "only": only, "outcome": "failed", "error": said}
    lines = [
        f"{plan}, run of {at.isoformat(' ', 'minutes')} failed:",
        said,
        "What was published before stands as it was.",
    ]
    return entry, Message("failed", f"{plan.name}: failed", "\n".join(lines), {"plan": plan.name, **entry})


def retold(kept: Mapping[str, Any]) -> Message:
    """The message of a run that was killed after it had published and before it told."""
    subject, lines = str(kept.get("subject", "")), kept.get("text", "")
    late = "The run was stopped after it had published, before anybody was told."
    facts: Mapping[str, Any] = kept.get("facts", {})
    return Message(str(kept.get("moment", "done")), subject, f"{lines}\n{late}", facts)


def said_of(message: Message) -> dict[str, Any]:
    """A message as it is kept until somebody was told."""
    return {"moment": message.moment, "subject": message.subject, "text": message.text, "facts": dict(message.facts)}
