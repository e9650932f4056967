"""A period that stands alone, far from all others: a slip of the keyboard, which would fill years with nothing."""

from veridex.core.arrays import IntArray
from veridex.core.periods.cadence import Cadence
from veridex.errors import PeriodStray

__all__ = ["refuse_strays"]

ALONE, COMPANY = 2, 6
"""So many periods stand alone, where so many others at least stand together."""

AWAY, SPANS = 24, 2.0
"""How far: so many periods at least, and so many times the span of the others."""


def refuse_strays(ordinals: IntArray, cadence: Cadence, source: str) -> None:
    """Refuse periods that no row of any item stands near.

    Parameters
    ----------
    ordinals : ndarray of int
        The different periods of all rows, sorted.

    Raises
    ------
    PeriodStray
    """
    for late in (True, False):
        for count in range(1, ALONE + 1):
            few, rest = (ordinals[-count:], ordinals[:-count]) if late else (ordinals[:count], ordinals[count:])
            if rest.size < COMPANY:
                continue
            gap = int(few[0] - rest[-1]) if late else int(rest[0] - few[-1])
            if gap > max(AWAY, SPANS * (int(rest[-1]) - int(rest[0]) + 1)):
                stray = cadence.text(int(few[0] if late else few[-1]))
                span = f"{cadence.text(int(rest[0]))} to {cadence.text(int(rest[-1]))}"
                raise PeriodStray(source, stray, cadence.length(gap), span)
