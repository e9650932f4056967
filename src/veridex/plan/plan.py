"""`Plan`: what a plan file says, as requests of the job."""

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TypeVar

from veridex.core.backtest.folds import digest_of
from veridex.job.requests import (
    Deciding,
    Driving,
    Happening,
    Placing,
    Planning,
    Publishing,
    Reading,
    Ruling,
    Testing,
    Tidying,
)
from veridex.job.words import told_by
from veridex.version import VERSION

__all__ = ["TESTS", "Plan"]

TESTS = "tests"
"""Where runs keep the items that they have tested."""

R = TypeVar("R")


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """A plan that was read and checked.

    Attributes
    ----------
    file : Path
    said : mapping of request to mapping of field to value
        What it says, its places seen from where the call is made.
    sections : frozenset of str
        Those that stand in it, empty ones too.
    """

    file: Path
    said: Mapping[Any, Mapping[str, Any]] = field(repr=False)
    sections: frozenset[str] = frozenset()

    def request(self, kind: type[R]) -> R:
        """A request as the plan says it."""
        return kind(**self.said.get(kind, {}))

    def words_for(self, kind: Any, others: Collection[Any]) -> Mapping[str, Any]:
        """The fields of a request that the plan fills in a command that takes others too.

        Where a plan publishes is where `publish` writes, and no other command.
        """
        if kind is Ruling:
            return {"tidy": self.rules}
        if kind is Placing and Publishing not in others:
            return {}
        if kind is Planning:
            places = self.said.get(Placing, {})
            return {"publish_to": places.get("to", ()), "figures": places.get("figures")}
        if kind is Testing and Publishing not in others:
            return {"horizon": self._ahead, **self._tests}
        if kind is Testing:
            return self._tests
        return self.said.get(kind, {})

    @property
    def _tests(self) -> Mapping[str, Any]:
        """What it says of the test; what commands test is kept, and taken over, where its runs keep theirs."""
        return {"checkpoint": self.kept / TESTS, **self.said.get(Testing, {})}

    @property
    def _ahead(self) -> int | None:
        """How far a test looks that does not say it by itself: as its scheme says, else as far as is published."""
        scheme = str(self.said.get(Testing, {}).get("scheme") or "")
        said = re.search(r"horizon=(\d+)", scheme)
        ahead = said[1] if said is not None else str(self.said.get(Publishing, {}).get("horizon", ""))
        return int(ahead) if ahead.isdecimal() else None

    @property
    def rules(self) -> str | None:
        """The rules it tidies by, as a command writes them; None where it does not tidy."""
        if "tidy" not in self.sections:
            return None
        return " ".join(f"{key}={value}" for key, value in self.said.get(Tidying, {}).items())

    def item(self, word: str) -> str:
        """What ``--item`` means beside a plan: a key of the plan's own column, where none is named."""
        columns = (self.request(Reading).item or "").partition("=")[0]
        return word if "=" in word or not columns or word == columns else f"{columns}={word}"

    @property
    def kept(self) -> Path:
        """The directory beside the plan that its runs keep their journal and tests in."""
        return self.file.with_suffix(".kept")

    @property
    def key(self) -> str:
        """A fingerprint of all that what it publishes depends on, besides the data."""
        parts = []
        for kind in (Reading, Tidying, Driving, Happening, Testing, Deciding, Publishing):
            said = self.said.get(kind, {})
            # Where a file lies says nothing; what it holds is in the fingerprint of the data.
            parts.append([(one.name, repr(said.get(one.name))) for one in told_by(kind) if not one.word.place])
        return digest_of(VERSION.encode(), repr((sorted(self.sections), parts)).encode())
