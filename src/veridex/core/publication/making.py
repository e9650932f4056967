"""How a publication is made: refit on the whole history, forecast, write down from what and how."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, is_dataclass
from typing import Any

import numpy as np

from veridex.core.backtest.engine import Engine, Progress, SerialEngine, Tasks
from veridex.core.history.history import History
from veridex.core.methods.catalogue import Method
from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.edition import Edition
from veridex.core.publication.elsewhere import ItemElsewhere, cases_of
from veridex.core.publication.groups import Grouping, Share, group_totals, groupings
from veridex.core.publication.head import Demand, Head
from veridex.core.publication.item import ItemWork
from veridex.core.publication.preparing import Preparation
from veridex.core.publication.publication import Publication
from veridex.core.publication.shelf import MemoryShelf, Opened
from veridex.core.tidying.ledger import ledger
from veridex.core.verdict.verdict import Verdict
from veridex.errors import ParameterError

__all__ = ["make_publication"]


def make_publication(
    history: History,
    source: Verdict | Method,
    asked: Edition,
    engine: Engine,
    opened: Opened = MemoryShelf,
    progress: Progress | None = None,
) -> Publication:
    """Refit on the whole history and forecast; see `veridex.publish`, the public face.

    Items are prepared when a worker is ready for them, and put on a shelf as they come: no more of them need be in
    memory. What stands on the shelf already, the first items, is not made again.
    """
    verdict = source if isinstance(source, Verdict) else None
    furthest = _furthest(history, asked)
    grouped = groupings(history, verdict, asked.groups)
    summed = {item for way in grouped for items in way.members.values() for item in items}
    head = _head(history, verdict, asked, grouped, furthest)
    prepared = Preparation(history, source, asked)
    shelf = opened(head)
    done = len(shelf)
    shares = {item: share for item in shelf if item in summed and (share := Share.of(shelf[item])) is not None}
    made = _made(prepared, engine, done)
    for number, one in enumerate(made, start=1):
        shelf.put(one)
        if one.item in summed and (share := Share.of(one)) is not None:
            shares[one.item] = share
        if progress is not None:
            progress(number, len(history) - done)
    shelf.finish()
    return Publication(
        head=head,
        published=shelf,
        groups=tuple(one for way in grouped for one in group_totals(way, shares, history, asked.wanted)),
        ledger=ledger(history),
    )


def _made(prepared: Preparation, engine: Engine, done: int) -> Iterable[ItemPublication]:
    """What is published for each item from a place on: chosen and prepared here, or by workers where there are some."""
    work = ItemWork(prepared.asked.wanted, prepared.asked.explaining, prepared.asked.scenarios)
    left = len(prepared.history) - done
    if isinstance(engine, SerialEngine) or not isinstance(prepared.source, Verdict):
        return engine.map(work, Tasks(lambda place: prepared.at(done + place), left), work.lost)
    case = cases_of(prepared, prepared.source)
    there = ItemElsewhere.of(work, prepared.asked, prepared.source)
    return engine.map(there, Tasks(lambda place: case(done + place), left), there.lost)


def _furthest(history: History, asked: Edition) -> int:
    """The most lead times that an item has.

    Raises
    ------
    ParameterError
        If there are none.
    """
    furthest = max(asked.ahead.steps(series) for series in history)
    if furthest < 1:
        text, last = history.cadence.text, max(series.start + len(series) - 1 for series in history)
        problem = f"every item's history reaches that far: the last one ends with {text(last)}, so that a forecast "
        raise ParameterError("horizon", repr(asked.ahead.horizon), f"{problem}begins with {text(last + 1)}")
    return furthest


def _head(
    history: History,
    verdict: Verdict | None,
    asked: Edition,
    grouped: Sequence[Grouping],
    furthest: int,
) -> Head:
    text = history.cadence.text
    ends = history.starts + np.diff(history.offsets) - 1
    return Head(
        made=asked.made,
        demand=Demand(
            fingerprint=history.fingerprint,
            cadence=history.cadence.name,
            season_length=history.season_length,
            measure=history.measure,
            first=text(int(history.starts.min())),
            last=text(int(ends.max())),
            notes=tuple(str(note) for note in history.notes),
            tidying=None if history.rules is None else history.rules.in_words(),
        ),
        horizon=furthest,
        until=asked.ahead.horizon if isinstance(asked.ahead.horizon, str) else None,
        wanted=asked.wanted,
        backtest=None if verdict is None else _backtest(verdict),
        explained=_explained(asked),
        groups=tuple(one.said() for one in grouped),
    )


def _backtest(verdict: Verdict) -> Mapping[str, Any]:
    trial = verdict.trial
    return {
        "rule": verdict.rule,
        "conditions": verdict.conditions.in_words(),
        "scheme": trial.scheme.in_words(),
        "settings": asdict(trial.scheme) if is_dataclass(trial.scheme) else {},
        "pace": asdict(trial.pace),
        "levels": list(trial.levels),
        "foresight": "perfect" if trial.perfect else "none",
        "kept": trial.keeping,
        "fingerprint": trial.history.fingerprint,
        "lineup": [entered.text for entered in trial.lineup],
        "added": [entered.text for entered in trial.added],
        "notes": list(trial.notes),
        "standings": trial.standings(brief=True).to_dict("records"),
    }


def _explained(asked: Edition) -> Mapping[str, Any]:
    """Drivers, events and scenarios; nothing where there are none."""
    found: dict[str, Any] = {}
    drivers, events = asked.explaining.drivers, asked.explaining.events
    if drivers is not None:
        found["drivers"] = {
            "names": list(drivers.names),
            "known_ahead": list(drivers.known_ahead),
            "observed_only": "forecast by smoothing, their uncertainty in the intervals by simulation",
            "scenarios": [one.name for one in asked.scenarios],
        }
    if events is not None:
        found["events"] = list(events.names)
    return found
