"""Numbers as a planner would write them."""

import math
from collections.abc import Iterable, Sequence

from veridex.core.periods.cadence import Cadence
from veridex.core.preparation.regressors import Column
from veridex.core.readable import number, quantity

__all__ = ["LOG_UNIT", "counted", "effect_words", "memory", "signed"]


LOG_UNIT = "on the log scale"
"""The unit of a method that models logarithms."""


def counted(count: int, what: str) -> str:
    """A number of things.

    Examples
    --------
    >>> counted(1, "origin"), counted(3, "origin")
    ('1 origin', '3 origins')
    """
    return f"{count} {what}" if count == 1 else f"{count} {what}s"


def signed(value: float, digits: int = 4) -> str:
    """A term of an equation after the first: its sign apart.

    Examples
    --------
    >>> signed(0.25), signed(-3.0)
    (' + 0.25', ' - 3')
    """
    return f" {'-' if value < 0 else '+'} {number(abs(value), digits)}"


FAR_LOG = 14.0
"""Logarithms of a million and more."""

INTERVENTIONS = {
    "pulse": " in that period alone",
    "step": " from then on",
    "ramp": " more with every period from then on",
}


def effect_words(
    columns: Sequence[Column], effects: Iterable[float], unit: str | None, *, choosing: bool = False
) -> str:
    """Say what each driver and event does to demand, all else equal; where they were chosen, which were left out.

    Examples
    --------
    >>> effect_words((Column("price", "driver"), Column("fair", "event")), (-2.0, 30.0), "units")
    'One more of price takes away 2 units, all else equal; a period full of fair adds 30 units.'
    """
    said, untold = [], []
    logs = unit == LOG_UNIT
    for column, effect in zip(columns, effects, strict=True):
        does = "multiplies demand by" if logs else "adds" if effect >= 0 else "takes away"
        amount = _factor(float(effect)) if logs else quantity(abs(float(effect)), unit)
        if effect == 0.0:
            untold.append(column.name)
        elif column.kind in INTERVENTIONS:
            said.append(f"{column.name} {does} {amount}{INTERVENTIONS[column.kind]}")
        elif column.kind == "event":
            said.append(f"a period full of {column.name} {does} {amount}")
        else:
            said.append(f"one more of {column.name} {does} {amount}, all else equal")
    if untold and choosing:
        said.append(f"left out, since they explain too little: {', '.join(untold)}")
    elif untold:
        *others, last = untold
        who = f"effects of {', '.join(others)} and {last}" if others else f"effect of {last}"
        said.append(f"the {who} cannot be told apart in this span")
    text = "; ".join(said)
    return f"{text[:1].upper()}{text[1:]}."


def _factor(log: float) -> str:
    """What a logarithm multiplies by; one that is far from nothing, as of a driver of tiny numbers, stays one."""
    return number(math.exp(log)) if abs(log) < FAR_LOG else f"exp({number(log)})"


def memory(alpha: float, cadence: Cadence) -> str:
    """How fast a level with this smoothing constant forgets."""
    if alpha > 1.01:
        return f"it goes further than each {cadence.noun}'s change"
    if alpha > 0.99:
        return f"it is the last {cadence.noun}'s, and everything before is forgotten"
    if alpha < 0.002:
        return "it hardly moves, so that the whole history counts alike"
    half = math.log(0.5) / math.log(1.0 - alpha)
    return f"half of its weight lies on {cadence.last(max(half, 1.0))}"
