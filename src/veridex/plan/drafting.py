"""A first plan: what the words of a call say, what FILE showed, and a test that lets next month reuse this one's."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from veridex.core.backtest.schemes import default_scheme
from veridex.core.history.history import History
from veridex.core.methods.grammar import written
from veridex.job.requests import Placing, Publishing, Reading, Testing
from veridex.job.testing import HORIZON
from veridex.plan.writing import write_plan

__all__ = ["Draft", "drafted"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """What a plan is made from.

    Attributes
    ----------
    history : History
        As FILE shows it.
    requests : sequence of requests
    notes : mapping of str to sequence of str
        What was found out, by section.
    """

    history: History
    requests: Sequence[Any]
    notes: Mapping[str, Sequence[str]]


def drafted(draft: Draft, target: Path) -> Path:
    """Write a plan of what was said; where nothing was said of the test, the default one that grows with the data.

    Raises
    ------
    DestinationRefused
        If it cannot be written.
    """
    found = {type(one): one for one in draft.requests}
    publishing, testing = found.get(Publishing, Publishing()), found.get(Testing, Testing())
    remarks: dict[str, Sequence[str]] = {
        "": ("A whole job: `veridex run` does all of it, and every other command takes it for FILE.",),
        **draft.notes,
        "history": (_seen(draft.history), *draft.notes.get("history", ())),
    }
    found[Reading] = replace(found[Reading], cadence=found[Reading].cadence or draft.history.cadence.name)
    if not publishing.method and testing.scheme is None:
        found[Testing] = replace(testing, scheme=growing(draft.history, publishing))
        remarks["test"] = ("anchor: the first origin stays for so many periods, so that a new one alone is tested.",)
    if not found[Placing].to:
        found[Placing] = replace(found[Placing], to=(str(target.parent / "published"),))
    return write_plan(found.values(), target, remarks)


def growing(history: History, publishing: Publishing) -> str:
    """The text of the default scheme, anchored."""
    ahead = int(publishing.horizon) if publishing.horizon.isdecimal() else HORIZON
    usual = default_scheme(history, ahead)
    settings: dict[str, Any] = {"horizon": ahead, "origins": usual.origins}
    if usual.stride > 1:
        settings["stride"] = usual.stride
    return written("rolling", {**settings, "anchor": HORIZON * usual.stride}.items())


def _seen(history: History) -> str:
    """What FILE holds."""
    text, starts = history.cadence.text, history.starts
    first, last = int(starts.min()), max(one.start + len(one) - 1 for one in history)
    count = f"{len(history):,} items" if len(history) > 1 else "1 item"
    return f"{count}, {history.cadence.name}, {text(first)} to {text(last)}"
