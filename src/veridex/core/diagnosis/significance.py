"""The level of a test, in percent."""

from veridex.errors import ParameterError

__all__ = ["checked_significance"]


def checked_significance(significance: float) -> float:
    """The significance, refused where it cannot be meant as percent.

    Raises
    ------
    ParameterError
        If it is not between 0.1 and 50 percent.
    """
    if 0 < significance < 0.1:
        raise ParameterError("significance", str(significance), f"it is percent; did you mean {100 * significance:g}?")
    if not 0 < significance < 50:
        raise ParameterError("significance", str(significance), "it is given in percent, usually 1, 5 or 10")
    return significance
