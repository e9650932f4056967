"""The run: what a plan says is done, unattended, killed at any moment without harm, and told."""

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, nullcontext
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np

from veridex.core.backtest.folds import digest_of
from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.periods.spans import instant
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.head import Planned
from veridex.core.publication.publication import Publication
from veridex.core.publication.watch.watch import Watch
from veridex.errors import ParameterError, PlanUntested, PlanWrong, VeridexError
from veridex.errors.plans import Fault
from veridex.exchange.forms.publications import PUBLICATION
from veridex.exchange.keeping import keep, planned_at, read_publication, read_trial, shown
from veridex.exchange.trial_directories import is_trial_directory
from veridex.job.desk import HERE, Desk, silent
from veridex.job.pipeline import Asked, Outcome, published, reach, rows_of
from veridex.job.placing import Destination, for_publication, for_trial, last_published
from veridex.job.reading import explanation, read_whole, scenarios_of, settled
from veridex.job.requests import Deciding, Driving, Happening, Placing, Publishing, Reading, Telling, Testing, Watching
from veridex.job.telling import tell, unsaid
from veridex.job.testing import backtested
from veridex.job.watching import watched
from veridex.plan.journal import Journal
from veridex.plan.plan import Plan
from veridex.plan.reading import read_plan
from veridex.plan.run import PlanRun, changes_between, failure, retold, said_of

__all__ = ["follow", "run_plan"]

WAITED = {"read": "Reading", "tidy": "Tidying", "place": "Writing"}
"""What is said of parts that show no bar of their own."""


def run_plan(plan: str | Path, only: str | None = None, *, as_of: str | None = None) -> PlanRun:
    """Do what a plan file says: read, tidy, test, decide, publish, watch, tell.

    What was tested before and has not changed is taken over; where neither data nor plan have changed since the
    publication that stands, nothing is done. A run that is killed leaves the last publication whole, and the next one
    goes on where it was. The plan's directory gets ``PLAN.kept``, with a journal and the tests.

    Parameters
    ----------
    plan : str or Path
        A TOML file; docs/plan-file.md lists what it may say.
    only : {"test", "publish", "watch"}, optional
        Only this part of the job.
    as_of : str, optional
        As if it were this day: periods that were not over then are left out.

    Returns
    -------
    PlanRun
        `outcome`, `publication`, `verdict`, `trial`, `watch`, `changes`; `lines()`, the summary.

    Raises
    ------
    PlanWrong
        If the plan says what there is not, with the path of each fault.
    PlanBusy
        If another run of it is at work.
    PlanUntested
        If only publishing is asked for, and the tests are not those of these data and this plan.
    """
    if only not in (None, "test", "publish", "watch"):
        raise ParameterError("only", repr(only), "it is 'test', 'publish' or 'watch'")
    return follow(plan, HERE, only=only, as_of=as_of)


def follow(file: str | Path, desk: Desk, *, only: str | None = None, as_of: str | None = None) -> PlanRun:
    """Run a plan for somebody; see `run_plan`, the public face.

    A failed run is written into the journal and told before its error goes on.
    """
    plan = read_plan(file)
    desk = desk if as_of is None else replace(desk, now=lambda: _moment(as_of))
    telling = plan.request(Telling)
    if missing := unsaid(telling):
        raise PlanWrong(str(plan.file), tuple(missing))
    journal = Journal(plan.file, plan.kept)
    with journal.locked():
        at = desk.now()
        try:
            work = _Work(plan, journal, desk, at, only, as_of)
            run = work.done()
        except BaseException as problem:
            entry, message = failure(plan.file, at, only, problem, ours=not isinstance(problem, VeridexError))
            journal.add(entry)
            for fault in tell(telling, message):
                desk.say(f"{fault.path}: {fault.problem}.")
            raise
        run = replace(run, untold=tuple(tell(telling, run.message())))
        journal.add(run.entry())
        journal.fulfil()
    return run


def _moment(text: str) -> datetime:
    """The instant that is meant by a day or a stamp."""
    return datetime.fromisoformat(str(np.datetime_as_string(instant(text), unit="s"))).replace(tzinfo=UTC)


@dataclass(slots=True)
class _Work:
    """One run, from the data to what is published."""

    plan: Plan
    journal: Journal
    desk: Desk
    at: datetime
    only: str | None
    as_of: str | None
    seconds: dict[str, float] = field(default_factory=dict)

    def done(self) -> PlanRun:
        """Do what is asked for."""
        to = self.plan.request(Placing).to
        place = self._destination(to)
        self._check_page()
        with self._timed("read"):
            raw, told = self._read()
        key = digest_of(
            self.plan.key.encode(), _shown(raw).encode(), told.fingerprint.encode(), repr(self.as_of).encode()
        )
        run = PlanRun(
            plan=self.plan.file,
            only=self.only,
            at=self.at,
            outcome="done",
            key=key,
            history=raw,
            to=tuple(map(shown, to)),
        )
        if self.only in (None, "publish") and self._stands_already(to, key):
            self._hand_round_late(to, key)
            self._tell_late(to)
            return replace(run, outcome="unchanged", seconds=self.seconds)
        self._tell_late(to)
        with self._timed("tidy"):
            reading, happening = self.plan.request(Reading), self.plan.request(Happening)
            history = settled(raw, reading, self.plan.rules, self.desk, happening)
        run = replace(run, history=history)
        last = last_published(to, self.desk)
        if self.only != "test":
            run = replace(run, watch=self._watched(history, last))
        if self.only != "watch":
            run = self._published(run, told, last, place)
        alerts = run.watch is not None and not run.watch.alerts.empty
        return replace(run, outcome="alerts" if alerts else "done", seconds=self.seconds)

    def _destination(self, to: Sequence[str]) -> Destination:
        """Where it is published, checked before the work."""
        if not to and self.only != "test":
            fault = Fault("publish.to", 'it is missing; say where, as in to = "published"')
            raise PlanWrong(str(self.plan.file), (fault,))
        return for_publication(to)

    def _check_page(self) -> None:
        """Refuse a page that cannot be written, before the work."""
        to = self.plan.request(Publishing).board
        if to is not None:
            from veridex.job.boarding import checked_page

            checked_page(to)

    def _stands_already(self, to: Sequence[str], key: str) -> bool:
        """Whether these data and this plan were published already; places that lack it get it from one that has it."""
        whole = [one for one in to if _stands(one, key)]
        if whole and len(whole) < len(to):
            lacking = [one for one in to if one not in whole]
            keep(PUBLICATION, read_publication(whole[0]), lacking)
            for one in lacking:
                self.desk.say(f"Written to {shown(one)}, from {shown(whole[0])}.")
        return bool(whole)

    def _read(self) -> tuple[History, Explanation]:
        """Demand and what may explain it, as known at the instant that is stated."""
        reading = self.plan.request(Reading)
        history = read_whole(reading, self.desk)
        if self.as_of is not None:
            history = history.until("last complete period", as_of=self.as_of)
        driving, happening = self.plan.request(Driving), self.plan.request(Happening)
        return history, explanation(driving, happening, reading, history, self.desk)

    def _watched(self, history: History, last: Publication | None) -> Watch | None:
        """The last publication against what came since; None where there is none on this cadence."""
        if last is None:
            return None
        if last.cadence != history.cadence:
            self.desk.say(f"The last publication is {last.cadence.name}: it is not held against this demand.")
            return None
        with self._timed("watch"):
            return watched(last, history, self.plan.request(Watching), self.desk)

    def _published(self, run: PlanRun, told: Explanation, last: Publication | None, place: Destination) -> PlanRun:
        """Test, decide and publish, as far as is asked for."""
        asked = Asked(
            publishing=self.plan.request(Publishing),
            deciding=self.plan.request(Deciding),
            testing=self.plan.request(Testing),
            explaining=told,
            scenarios=scenarios_of(self.plan.request(Driving), told),
            last=last,
        )
        if self.only != "test":
            place.refuse_too_many(rows_of(run.history, asked.publishing, len(asked.scenarios)))
        with self._timed("test"):
            trial = None if asked.publishing.method else self._tested(run.history, asked)
        run = replace(run, trial=trial)
        if self.only == "test":
            return run
        with self._timed("publish"):
            found = published(run.history, asked, trial, self.desk)
        run = replace(run, verdict=found.verdict, changes=changes_between(last, found.verdict))
        run = replace(run, publication=_of_plan(found, self.plan, run.key))
        self.journal.promise({"key": run.key, **said_of(run.message())})
        with self._timed("place"):
            place(run.publication, self.desk)
            self._draw(found, run.history)
        if self.plan.request(Publishing).board is not None:
            with self._timed("board"):
                self._hand_round(found, run, last)
        return run

    def _draw(self, found: Outcome, history: History) -> None:
        """Draw what is published, where the plan names a place for figures."""
        directory = self.plan.request(Placing).figures
        if directory is not None:
            from veridex.job.drawing import draw_published  # only here: most runs draw nothing

            self.desk.say(draw_published(found, history, directory))

    def _hand_round(self, found: Outcome, run: PlanRun, last: Publication | None) -> None:
        """Write the page to hand round, where the plan names one."""
        to = self.plan.request(Publishing).board
        if to is not None:
            from veridex.job.boarding import write_board  # only here: most runs write none

            earlier = () if last is None else (last,)
            write_board(found.publication, found.verdict, to, self.desk, earlier=earlier, watched=run.watch)

    def _hand_round_late(self, to: Sequence[str], key: str) -> None:
        """Write the page of what stands already, where it is missing."""
        page = self.plan.request(Publishing).board
        if page is None or page.exists():
            return
        from veridex.job.boarding import tested_as_published, write_board

        publication = read_publication(next(one for one in to if _stands(one, key)))
        tests = self.journal.tests
        known = publication.head.backtest is not None and is_trial_directory(tests)
        tested = tested_as_published(publication, read_trial(tests), self.desk) if known else None
        self.desk.say("The page is written again without what came of the publication before, which is not at hand.")
        write_board(publication, tested, page, self.desk)

    def _tested(self, history: History, asked: Asked) -> Trial:
        """The backtest, in a directory; what was tested is taken over, and with only= publish nothing else is."""
        testing = reach(history, asked.testing, asked.publishing)
        engine = _Unwilling(str(self.plan.file)) if self.only == "publish" else None
        place = for_trial([self.journal.tests])
        with place.held():
            trial = backtested(history, testing, asked.explaining, self.desk, engine=engine, opened=place.opened)
            place(trial, HERE)
        return trial

    def _tell_late(self, to: Sequence[str]) -> None:
        """Tell what a run that was killed has published and told nobody; forget what it did not publish."""
        left = self.journal.promised()
        if left is not None and any(_stands(one, str(left.get("key"))) for one in to):
            message = retold(left)
            for fault in tell(self.plan.request(Telling), message):
                self.desk.say(f"{fault.path}: {fault.problem}.")
            self.journal.add({**message.facts, "late": True})
            self.desk.say("The last run was stopped after it had published; it is told now.")
        self.journal.fulfil()

    @contextmanager
    def _timed(self, part: str) -> Iterator[None]:
        begun = self.desk.seconds()
        with self.desk.waiting() if part in WAITED else nullcontext(silent) as show:
            show(WAITED.get(part, ""))
            yield
        self.seconds[part] = self.desk.seconds() - begun


class _Unwilling:
    """An engine for runs that may only take over what was tested before."""

    def __init__(self, plan: str) -> None:
        self._plan = plan

    def map(self, function: Callable[[Any], Any], tasks: Sequence[Any], lost: Any = None) -> Iterator[Any]:
        """Refuse to work."""
        if len(tasks):
            problem = f"{len(tasks):,} items were not tested as data and plan are now"
            raise PlanUntested(self._plan, problem)
        return iter(())


def _shown(history: History) -> str:
    """A fingerprint of a history as it was read, with what tidying looks at besides its values."""
    return repr((history.fingerprint, history.repeats, history.unfinished, history.measure, history.keys))


def _stands(target: str, key: str) -> bool:
    """Whether a place holds the whole publication of this key."""
    found = planned_at(target)
    return found is not None and found.key == key


def _of_plan(found: Outcome, plan: Plan, key: str) -> Publication:
    """The publication, with the plan that it followed."""
    publication = found.publication
    return replace(publication, head=replace(publication.head, plan=Planned(plan.file.name, key)))
