"""Settings of methods: what a key may hold, and its default."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from veridex.errors import SettingError

__all__ = ["DRIVER_SETTINGS", "Setting", "Value", "choice", "driver_settings", "number", "settled", "whole", "yes_no"]

Value = str | int | float | bool | tuple[Any, ...]
"""What a setting may hold; members of a method are methods."""


@dataclass(frozen=True, slots=True)
class Setting:
    """One `key=value` word of a method.

    Attributes
    ----------
    key : str
    default : Value or None
        What holds when the key is not given; None leaves it to the method.
    allowed : str
        What may stand there, in words.
    accepts : callable
        Whether a value is allowed.
    spelled : bool
        Whether it is written even at its default: the name alone would not tell what the method does.
    """

    key: str
    default: Value | None
    allowed: str
    accepts: Callable[[Value], bool]
    spelled: bool = False

    def checked(self, method: str, value: Value) -> Value:
        """Return an allowed value.

        Raises
        ------
        SettingError
            If the value is not allowed.
        """
        if not self.accepts(value):
            shown = list(value) if isinstance(value, tuple) else value
            raise SettingError(method, f"{self.key} must be {self.allowed}, got {shown!r}")
        return value


def choice(key: str, *words: str, default: str | None = None, spelled: bool = False) -> Setting:
    """A setting that is one of a few words."""
    return Setting(key, default, " or ".join(words), lambda value: value in words, spelled)


def yes_no(key: str, default: bool = False) -> Setting:
    """A setting that is yes or no."""
    return Setting(key, default, "yes or no", lambda value: isinstance(value, bool))


def whole(key: str, low: int, high: int, default: int | None = None, *, spelled: bool = False) -> Setting:
    """A setting that is a whole number between bounds, both included."""

    def accepts(value: Value) -> bool:
        return isinstance(value, int) and not isinstance(value, bool) and low <= value <= high

    return Setting(key, default, f"a whole number from {low} to {high}", accepts, spelled)


def number(key: str, low: float, high: float) -> Setting:
    """A setting that is a number between bounds, both included; estimated when not given."""

    def accepts(value: Value) -> bool:
        return isinstance(value, (int, float)) and not isinstance(value, bool) and low <= value <= high

    return Setting(key, None, f"a number from {low:g} to {high:g}", accepts)


def _are_drivers(value: Value) -> bool:
    return value in ("all", "none") or (isinstance(value, tuple) and bool(value) and len(set(value)) == len(value))


def driver_settings(default: str) -> tuple[Setting, ...]:
    """Settings of every method that stands for itself: which drivers and events of those handed over it uses."""
    return (
        Setting("drivers", default, "all, none or a list, as in [price, temperature@1]", _are_drivers),
        choice("events", "all", "none", default=default),
    )


DRIVER_SETTINGS: tuple[Setting, ...] = driver_settings("all")
"""Those of a method that takes drivers itself."""


def settled(settings: Iterable[Setting]) -> dict[str, Value | None]:
    """Every setting at its default."""
    return {setting.key: setting.default for setting in settings}
