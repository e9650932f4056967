"""A scheme as text: its name followed by `key=value` words, as a method is written."""

from collections.abc import Mapping
from dataclasses import fields
from typing import Any

from veridex.core.backtest.schemes import Holdout, RollingOrigin, Scheme
from veridex.core.methods.grammar import Spelled, parse
from veridex.errors import ParameterError, SettingUnknown
from veridex.errors.wording import near

__all__ = ["SCHEMES", "as_scheme", "made", "scheme", "spelled"]

SCHEMES: Mapping[str, type[RollingOrigin] | type[Holdout]] = {"rolling": RollingOrigin, "holdout": Holdout}

TEXTS = ("first", "since", "boundary", "window")
"""Settings that hold periods or words; 2025 is a year there."""


def scheme(text: str) -> RollingOrigin | Holdout:
    """Read a scheme, as in ``"rolling horizon=12 origins=24"`` or ``"holdout share=15% boundary=month"``.

    Raises
    ------
    ParameterError, SettingUnknown, SettingError
        If there is no such scheme, or not so.

    Examples
    --------
    >>> scheme("rolling horizon=12 origins=24")
    RollingOrigin(horizon=12, origins=24, stride=1, window='expanding', first=None, gap=0, anchor=1)
    >>> scheme("holdout share=15%").share
    0.15
    """
    return made(spelled(text))


def spelled(text: str) -> Spelled:
    """A scheme's name and settings as they were written, values read.

    Raises
    ------
    ParameterError, SettingUnknown, SettingError
    """
    found = parse(text) if text.strip() else Spelled("", {})
    if found.name not in SCHEMES:
        kinds = " and ".join(f"{name!r}" for name in SCHEMES)
        meant = near(found.name, tuple(SCHEMES))
        raise ParameterError("scheme", repr(text), f"the schemes are {kinds}{'.' if meant else ''}{meant}")
    known = tuple(one.name for one in fields(SCHEMES[found.name]))
    for key in found.settings:
        if key not in known:
            raise SettingUnknown(found.name, key, known)
    return Spelled(found.name, {key: _read(key, value) for key, value in found.settings.items()})


def made(said: Spelled) -> RollingOrigin | Holdout:
    """The scheme of a name and settings.

    Raises
    ------
    ParameterError
        If settings are out of range, or one is missing.
    """
    if said.name == "rolling" and "horizon" not in said.settings:
        raise ParameterError("scheme", repr(said.name), "say how far to look, as in 'rolling horizon=12'")
    return SCHEMES[said.name](**said.settings)


def _read(key: str, value: Any) -> Any:
    """A setting's value: a share may be written in percent, a year is a period."""
    if key == "share" and isinstance(value, str) and value.endswith("%"):
        try:
            return float(value[:-1]) / 100.0
        except ValueError:
            raise ParameterError("share", repr(value), "write it as in 15% or 0.15") from None
    return str(value) if key in TEXTS and not (key == "window" and isinstance(value, int)) else value


def as_scheme(given: "Scheme | str | None") -> "Scheme":
    """A scheme, from its text or as it is.

    Raises
    ------
    ParameterError
        If none is stated, or it is something else.
    """
    if given is None or not (isinstance(given, str) or hasattr(given, "folds")):
        raise ParameterError("scheme", repr(given), "say how to test, as in 'rolling horizon=12 origins=12'")
    return scheme(given) if isinstance(given, str) else given
