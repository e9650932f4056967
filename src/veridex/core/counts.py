"""Whole numbers as callers state them: one check, one message."""

from numbers import Integral

from veridex.errors import ParameterError

__all__ = ["FARTHEST", "checked_horizon", "whole_number"]

FARTHEST = 100_000
"""Lead times at most: hours of eleven years. What looks further is a slip, and would fill memory."""


def whole_number(name: str, value: object, least: int = 1, most: int | None = None) -> int:
    """The number, if it is a whole one within its range.

    Raises
    ------
    ParameterError
        If it is something else.

    Examples
    --------
    >>> whole_number("horizon", 12)
    12
    """
    if isinstance(value, Integral) and not isinstance(value, bool):
        found = int(value)
        if found >= least and (most is None or found <= most):
            return found
    until = "on" if most is None else f"to {most}"
    raise ParameterError(name, repr(value), f"it is a whole number from {least} {until}")


def checked_horizon(value: object) -> int:
    """Lead times, if they are a whole number of them that can be.

    Raises
    ------
    ParameterError
        If they are something else.
    """
    return whole_number("horizon", value, most=FARTHEST)
