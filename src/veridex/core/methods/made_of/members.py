"""What families that are made of other methods have in common: a list of members, and who is handed drivers."""

from abc import abstractmethod
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, NamedTuple, TypeVar

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.account import Account
from veridex.core.methods.fold.family import Family
from veridex.core.methods.fold.plan import Plan, Rows, Sizes
from veridex.core.methods.fold.running import replay_unguarded, run_unguarded
from veridex.core.methods.fold.settings import Setting, Value
from veridex.core.methods.fold.status import Status
from veridex.core.methods.method import Method
from veridex.errors import SettingError

__all__ = ["FamilyOfMethods", "MadePlan", "Part", "are_members", "part_of", "planned"]


class Part(NamedTuple):
    """A member with its plan, and its part of the row and of the memory."""

    method: Method
    plan: Plan
    row: FloatArray
    warm: FloatArray

    def rows_for(self, x: FloatArray | None) -> FloatArray | None:
        """Driver rows, for a member that takes them."""
        return x if self.method.driven else None

    def run(self, y: FloatArray, x: FloatArray | None) -> tuple[Status, Rows]:
        """Fit the member on the span, starting from its memory."""
        rows = Rows.allocate(self.plan, y.size)
        return run_unguarded(self.method.family, self.plan, y, self.rows_for(x), self.warm, rows), rows

    def replay(self, y: FloatArray, x: FloatArray | None) -> tuple[Status, Rows]:
        """Forecast with the member's parameters."""
        rows = Rows.allocate(self.plan, y.size, self.row)
        return replay_unguarded(self.method.family, self.plan, y, self.rows_for(x), rows), rows

    def account(self, y: FloatArray, x: FloatArray | None, series: ItemHistory) -> Account:
        """What the member says of itself."""
        found: Account = self.method.family.account(self.plan, y, self.rows_for(x), self.row, series)
        return found

    def paths(self, y: FloatArray, x: FloatArray | None, shocks: FloatArray) -> FloatArray:
        """Paths of the member."""
        found: FloatArray = self.method.family.paths(self.plan, y, self.rows_for(x), self.row, shocks)
        return found


@dataclass(frozen=True, slots=True)
class MadePlan(Plan):
    """The members, and the plan of each."""

    members: tuple[Method, ...] = ()
    plans: tuple[Plan, ...] = ()

    def each(self) -> Iterator[tuple[Method, Plan]]:
        """Each member with its plan."""
        return zip(self.members, self.plans, strict=True)


P = TypeVar("P", bound=MadePlan)


def are_members(value: Value) -> bool:
    """Whether a setting lists two methods or more."""
    return isinstance(value, tuple) and len(value) > 1 and all(isinstance(one, Method) for one in value)


def part_of(method: Method, plan: Plan, row: FloatArray, warm: FloatArray) -> Part:
    """A member with as much of the row and of the memory as it has."""
    return Part(method, plan, row[: plan.row_size], warm[: plan.warm_size])


class FamilyOfMethods(Family[P]):
    """A family whose setting ``of=`` lists methods; with a member that takes drivers it takes them too."""

    example: ClassVar[str]
    settings: ClassVar[tuple[Setting, ...]]

    bears_gaps = True  # its members say what they can do with

    def __init__(self, *, takes_drivers: bool = False) -> None:
        self.takes_drivers = takes_drivers  # type: ignore[misc]

    def for_settings(self, settings: Mapping[str, Value]) -> "Family[Any]":
        """One that takes drivers, where a member does."""
        of: Any = settings["of"]
        return type(self)(takes_drivers=True) if any(not one.alone for one in of) else self

    def check(self, settings: Mapping[str, Value]) -> None:
        """Raise where members are missing or doubled, or ask for drivers of their own."""
        of = settings.get("of")
        if not isinstance(of, tuple):
            raise SettingError(self.name, f"state its members, as in {self.example}")
        twice = next((one for one in of if of.count(one) > 1), None)
        if twice is not None:
            raise SettingError(self.name, f"{twice.text!r} stands in of= twice")
        driven = next((one for one in of if isinstance(one.settings.get("drivers"), tuple)), None)
        if driven is not None:
            problem = f"{driven.text!r} asks for drivers by name; {self.name} hands over all of them"
            raise SettingError(self.name, problem)

    @abstractmethod
    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> P:
        """Work out once per item what every fold needs; driver rows reach the members that take them."""


def planned(settings: Mapping[str, Any], sizes: Sizes) -> tuple[Plan, ...]:
    """The plan of each member."""
    of: tuple[Method, ...] = settings["of"]
    return tuple(one.family.plan(one.settings, sizes if one.driven else sizes._replace(columns=())) for one in of)
