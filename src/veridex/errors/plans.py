"""A plan says what cannot be done, or cannot be run now."""

from dataclasses import dataclass
from typing import NamedTuple

from veridex.errors.base import CallError, ReadingError

__all__ = ["Fault", "PlanBusy", "PlanUntested", "PlanWrong", "TellingFailed"]


class Fault(NamedTuple):
    """Where in a plan something is wrong, and what."""

    path: str
    problem: str


@dataclass(eq=False)
class PlanWrong(ReadingError, ValueError):
    """A plan says what there is not, or what does not go together."""

    plan: str
    faults: tuple[Fault, ...]

    def __str__(self) -> str:
        said = [f"{path}: {problem}" if path else problem for path, problem in self.faults]
        said = [one if one.endswith((".", "?")) else f"{one}." for one in said]
        if len(said) == 1:
            return f"{self.plan}, {said[0]}"
        return f"{self.plan} has {len(said)} faults:\n" + "\n".join(f"  {one}" for one in said)


@dataclass(eq=False)
class PlanBusy(CallError):
    """Another run of the same plan is at work."""

    plan: str

    def __str__(self) -> str:
        return f"{self.plan}: another run of this plan is at work. Wait until it is done."


@dataclass(eq=False)
class PlanUntested(CallError):
    """A plan is to be published without testing, and its test is not what the data and the plan say now."""

    plan: str
    problem: str

    def __str__(self) -> str:
        return f"{self.plan}: {self.problem}. Run it whole, or with --only test first."


@dataclass(eq=False)
class TellingFailed(CallError):
    """The work is done, but somebody who was to be told could not be."""

    plan: str
    faults: tuple[Fault, ...]

    def __str__(self) -> str:
        said = "; ".join(f"{path}: {problem}" for path, problem in self.faults)
        return f"{self.plan}: what was to be done is done, but not everybody could be told: {said}."
