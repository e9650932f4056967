"""Interval levels in percent, and the names of their bounds in tables."""

from collections.abc import Sequence

from veridex.errors import ParameterError

__all__ = ["DEFAULT_LEVELS", "bound_columns", "checked_levels"]

DEFAULT_LEVELS = (80.0, 95.0)


def checked_levels(levels: Sequence[float] | float) -> tuple[float, ...]:
    """Sort levels and drop repeats.

    Raises
    ------
    ParameterError
        If a level does not lie strictly between 0 and 100 percent.
    """
    given = (levels,) if isinstance(levels, (int, float)) else levels
    for level in given:
        if not 0 < level < 100:
            hint = " (percent, not a share)" if level == 0 or level == 1 else ""
            raise ParameterError("levels", str(level), f"a level lies between 0 and 100 percent{hint}")
        if level < 1:
            raise ParameterError("levels", str(level), f"levels are percent; did you mean {100 * level:g}?")
    return tuple(sorted({float(level) for level in given}))


def bound_columns(levels: tuple[float, ...]) -> list[str]:
    """Column names of the bounds: lower_80, upper_80, lower_97_5 and so on."""
    labels = [f"{level:g}".replace(".", "_") for level in levels]
    return [f"{side}_{label}" for label in labels for side in ("lower", "upper")]
