"""A method, setting or measure that there is not, or not so."""

from dataclasses import dataclass

from veridex.errors.base import MethodError
from veridex.errors.wording import known_as

__all__ = ["MeasureUnknown", "MethodUnknown", "SettingError", "SettingUnknown"]


@dataclass(eq=False)
class MethodUnknown(MethodError):
    """A method was named that the catalogue does not have."""

    word: str
    known: tuple[str, ...]

    def __str__(self) -> str:
        return f"unknown method {self.word!r}: {known_as('method', self.word, self.known)}"


@dataclass(eq=False)
class SettingError(MethodError):
    """A setting of a method is unknown, missing or out of range."""

    method: str
    problem: str

    def __str__(self) -> str:
        return f"method {self.method!r}: {self.problem}."


@dataclass(eq=False)
class SettingUnknown(MethodError):
    """A method was given a setting that it does not have."""

    method: str
    word: str
    known: tuple[str, ...]

    def __str__(self) -> str:
        return f"method {self.method!r}: unknown setting {self.word!r}: {known_as('setting', self.word, self.known)}"


@dataclass(eq=False)
class MeasureUnknown(MethodError):
    """A measure of errors was named that there is not, or not for this purpose."""

    word: str
    known: tuple[str, ...]

    def __str__(self) -> str:
        return f"unknown measure {self.word!r}: {known_as('measure', self.word, self.known)}"
