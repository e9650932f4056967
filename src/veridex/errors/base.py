"""The branches of the family: what can be caught by kind."""

from dataclasses import fields
from typing import Any

__all__ = [
    "CallError",
    "HistoryError",
    "InputError",
    "MethodError",
    "OurFault",
    "ReadingError",
    "StoreError",
    "VeridexError",
]


class VeridexError(Exception):
    """Base of all errors that Veridex raises on purpose."""

    def __reduce__(self) -> tuple[type["VeridexError"], tuple[Any, ...]]:
        """Rebuild from the facts: workers send errors home by pickle."""
        return type(self), tuple(getattr(self, f.name) for f in fields(self))  # type: ignore[arg-type]


class InputError(VeridexError):
    """The input or the call is wrong, and the message says how to mend it."""


class ReadingError(InputError):
    """A source does not say what it should, or says it unreadably."""


class HistoryError(InputError):
    """A history has not what was asked of it."""


class MethodError(InputError, ValueError):
    """A method, a setting or a measure that there is not, or not so."""


class CallError(InputError, ValueError):
    """An argument is out of range, or words do not go together."""


class StoreError(InputError):
    """Something cannot be written where it was told to, or read back from there."""


class OurFault(VeridexError):
    """Veridex is wrong, not the input: please report it."""
