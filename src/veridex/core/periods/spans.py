"""Spans told relative to the end of a history or to an instant: "2 years", "last complete month"."""

import re
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from veridex.core.periods.cadence import Cadence
from veridex.core.periods.spellings import read_period
from veridex.errors import ParameterError

__all__ = ["first_of_last", "instant", "last_complete"]

Unit = Literal["Y", "M", "D", "h", "m"]

UNITS: dict[str, tuple[Unit, int]] = {
    "year": ("Y", 1),
    "quarter": ("M", 3),
    "month": ("M", 1),
    "week": ("D", 7),
    "day": ("D", 1),
    "hour": ("h", 1),
    "minute": ("m", 1),
}
SPAN = re.compile(rf"(?:last )?(\d+) ({'|'.join(UNITS)})s?")
COMPLETE = re.compile(rf"last complete ({'|'.join(UNITS)}|period)")
OWN_CADENCE = {"year": "yearly", "quarter": "quarterly", "month": "monthly", "week": "weekly", "day": "daily"}


def first_of_last(text: str, cadence: Cadence, last: int) -> int:
    """Ordinal of the first period of a span such as ``"2 years"`` that ends with the period `last`.

    A period that the span does not hold wholly is left out.

    Raises
    ------
    ParameterError
        If the text is no such span, or periods are counted.
    """
    parts = SPAN.fullmatch(text.strip())
    if parts is None or cadence.counted:
        raise ParameterError("last", repr(text), "it is a number of periods, or with dates a span such as '2 years'")
    unit, size = UNITS[parts[2]]
    end = cadence.starts(last + 1)
    if unit in ("Y", "M"):
        month = end.astype("datetime64[M]")
        into = end - month.astype("datetime64[s]")
        earlier = month - np.timedelta64(int(parts[1]) * size * (12 if unit == "Y" else 1), "M")
        begin = earlier.astype("datetime64[s]") + into
    else:
        begin = end - np.timedelta64(int(parts[1]) * size, unit)
    return int(cadence.ordinals(begin - np.timedelta64(1, "s"))) + 1


def last_complete(text: str, cadence: Cadence, as_of: object) -> int | None:
    """Ordinal of the last period that lies before the unit running at an instant; None for any other text.

    ``"last complete month"`` on 2026-11-23 is the last period that ends with October at the latest.

    Raises
    ------
    ParameterError
        If `as_of` is missing or unreadable, or periods are counted.
    """
    parts = COMPLETE.fullmatch(text.strip())
    if parts is None:
        return None
    if cadence.counted:
        raise ParameterError("until", repr(text), "counted periods have no dates")
    now = instant(as_of)
    if parts[1] in OWN_CADENCE:
        running = Cadence.named(OWN_CADENCE[parts[1]])
        limit = running.starts(running.ordinals(now))
    elif parts[1] == "period":
        limit = cadence.starts(cadence.ordinals(now))
    else:
        limit = now.astype(f"datetime64[{UNITS[parts[1]][0]}]").astype("datetime64[s]")
    return int(cadence.ordinals(limit)) - 1


def instant(as_of: object) -> NDArray[Any]:
    """An instant from text, a date or a stamp.

    Raises
    ------
    ParameterError
        If it is missing or unreadable: what is finished depends on it, and a clock is never asked in silence.
    """
    stamp = read_period(str(as_of))
    if stamp is None:
        raise ParameterError("as_of", repr(as_of), "state the instant, as in as_of='2026-11-23T14:30'")
    return np.asarray(stamp)
