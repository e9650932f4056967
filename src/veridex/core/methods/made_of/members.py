"""What families that are made of other methods have in common: a list of members, and who is handed drivers."""

from abc import abstractmethod
from collections.abc import Mapping
from typing import Any, ClassVar, TypeVar

from veridex.core.arrays import FloatArray
from veridex.core.methods.fold.contract import Column, Family, Plan
from veridex.core.methods.fold.settings import Setting, Value
from veridex.core.methods.method import Method
from veridex.errors import SettingError

__all__ = ["FamilyOfMethods", "are_members", "rows_for"]

P = TypeVar("P", bound=Plan)


def are_members(value: Value) -> bool:
    """Whether a setting lists two methods or more."""
    return isinstance(value, tuple) and len(value) > 1 and all(isinstance(one, Method) for one in value)


def rows_for(member: Method, x: FloatArray | None) -> FloatArray | None:
    """Driver rows, for a member that takes them."""
    return x if member.driven else None


class FamilyOfMethods(Family[P]):
    """A family whose setting ``of=`` lists methods; with a member that takes drivers it takes them too."""

    example: ClassVar[str]
    settings: ClassVar[tuple[Setting, ...]]

    def __init__(self, *, takes_drivers: bool = False) -> None:
        self.takes_drivers = takes_drivers  # type: ignore[misc]

    def for_settings(self, settings: Mapping[str, Value]) -> "Family[Any]":
        """One that takes drivers, where a member does."""
        of: Any = settings["of"]
        return type(self)(takes_drivers=True) if any(one.family.takes_drivers for one in of) else self

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

    def prepare(self, settings: Mapping[str, Any], season_length: int, horizon: int, levels: tuple[float, ...]) -> P:
        """Work out once per item what every fold without drivers needs."""
        return self.prepare_with(settings, season_length, horizon, levels, ())

    @abstractmethod
    def prepare_with(
        self,
        settings: Mapping[str, Any],
        season_length: int,
        horizon: int,
        levels: tuple[float, ...],
        columns: tuple[Column, ...],
    ) -> P:
        """The same with driver rows, which reach the members that take them."""

    def members(
        self,
        settings: Mapping[str, Any],
        season_length: int,
        horizon: int,
        levels: tuple[float, ...],
        columns: tuple[Column, ...],
    ) -> tuple[tuple[Method, ...], tuple[Any, ...]]:
        """The members, and the plan of each."""
        found: tuple[Method, ...] = settings["of"]
        sizes = (season_length, horizon, levels)
        plans = tuple(one.family.prepare_with(one.settings, *sizes, columns if one.driven else ()) for one in found)
        return found, plans
