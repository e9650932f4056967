"""Interval levels in percent, and the names of their bounds in tables."""

from collections.abc import Iterable, Sequence
from numbers import Real
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.errors import ParameterError

__all__ = ["DEFAULT_LEVELS", "bound_columns", "checked_levels", "level_label", "on_number_line", "shares_of"]

DEFAULT_LEVELS = (80.0, 95.0)


def checked_levels(levels: Sequence[float] | float) -> tuple[float, ...]:
    """Sort levels and drop repeats.

    Raises
    ------
    ParameterError
        If a level does not lie strictly between 0 and 100 percent.
    """
    given = levels if isinstance(levels, Iterable) and not isinstance(levels, str) else (levels,)
    for level in given:
        if not isinstance(level, Real):
            raise ParameterError("levels", repr(level), "a level is a number between 0 and 100")
        if not 0 < level < 100:
            hint = " (percent, not a share)" if level == 0 or level == 1 else ""
            raise ParameterError("levels", str(level), f"a level lies between 0 and 100 percent{hint}")
        if level < 1:
            raise ParameterError("levels", str(level), f"levels are percent; did you mean {100 * level:g}?")
    return tuple(sorted({float(level) for level in given}))


def shares_of(levels: Sequence[float]) -> FloatArray:
    """Probabilities below the lower bounds of levels, then below the upper ones; shape (2 levels,)."""
    half = np.array(levels, dtype=np.float64) / 2.0
    return np.concatenate((50.0 - half, 50.0 + half)) / 100.0


def level_label(level: float) -> str:
    """A level inside the name of a column.

    Examples
    --------
    >>> level_label(80), level_label(97.5)
    ('80', '97_5')
    """
    return f"{level:g}".replace(".", "_")


def on_number_line(
    levels: Sequence[float], lower: Iterable[Any], upper: Iterable[Any], **middle: Any
) -> dict[str, Any]:
    """Bounds by the names of their columns, as they lie on a number line: widest lower bound first, widest upper last.

    Examples
    --------
    >>> list(on_number_line((80, 95), (8, 6), (12, 14), forecast=10))
    ['lower_95', 'lower_80', 'forecast', 'upper_80', 'upper_95']
    """
    sides = sorted(zip(map(level_label, levels), lower, upper, levels, strict=True), key=lambda one: -one[3])
    below = {f"lower_{label}": low for label, low, _, _ in sides}
    above = {f"upper_{label}": high for label, _, high, _ in reversed(sides)}
    return below | middle | above


def bound_columns(levels: Sequence[float]) -> list[str]:
    """Names of the columns of bounds, as on a number line."""
    return list(on_number_line(levels, levels, levels))
