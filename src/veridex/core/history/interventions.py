"""Interventions at named dates: a pulse, a step or a ramp, each a driver whose future is known."""

import re
from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.driver import Driver
from veridex.core.periods.cadence import Cadence

__all__ = ["Intervention", "intervention"]

WRITTEN = re.compile(r"(?P<kind>pulse|step|ramp)\((?P<period>.+)\)")


@dataclass(frozen=True, slots=True, eq=False)
class Intervention(Driver):
    """A pulse (one in its period alone), a step (one from it on) or a ramp (1, 2, 3, ... from it on).

    Box and Tiao (1975), Journal of the American Statistical Association 70, 70-79.
    """

    kind: str = "pulse"
    first: int = 0

    def over(self, item: str, start: int, periods: int) -> FloatArray:
        """Values over some periods, the same for every item."""
        since: FloatArray = np.arange(start, start + periods).astype(np.float64) - self.first
        if self.kind == "pulse":
            return np.where(since == 0.0, 1.0, 0.0)
        if self.kind == "step":
            return np.where(since >= 0.0, 1.0, 0.0)
        return np.clip(since + 1.0, 0.0, None)


def intervention(name: str, cadence: Cadence) -> Intervention | None:
    """Read ``step(2024-03)`` and the like; None where the name is no intervention.

    Raises
    ------
    ParameterError
        If the date is none of this cadence.
    """
    written = WRITTEN.fullmatch(name.strip())
    if written is None:
        return None
    return Intervention(name, True, {}, written["kind"], cadence.period(written["period"]))
