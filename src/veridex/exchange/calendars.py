"""What calendars say: public holidays as events, working days as a driver."""

import re
from collections.abc import Iterator, Sequence
from datetime import date

import numpy as np

from veridex.core.history.driver import EVERY_ITEM, Driver
from veridex.core.history.drivers import Drivers
from veridex.core.history.events import Event, Events
from veridex.core.periods.cadence import Cadence
from veridex.errors import ParameterError

__all__ = ["WORKING_DAYS", "read_holidays", "working_days"]

SUBSTITUTE = re.compile(r"\s*\((?:observed|substitute day|in lieu|estimated)\)$", re.IGNORECASE)
"""What calendars add to the name of a holiday on another day than its own."""

WORKING_DAYS = "working_days"


def _days_off(codes: str | Sequence[str], since: int, until: int) -> Iterator[tuple[date, str]]:
    """Each public holiday of some calendar years with its names."""
    import holidays

    if until < since:
        raise ParameterError("until", str(until), f"it comes before since={since}")
    for code in [codes] if isinstance(codes, str) else codes:
        country, _, region = code.partition("-")
        try:
            calendar = holidays.country_holidays(
                country, subdiv=region or None, years=range(since, until + 1), language="en_US"
            )
        except NotImplementedError:
            raise ParameterError("codes", repr(code), "there is no calendar of this country or region") from None
        yield from calendar.items()


def read_holidays(codes: str | Sequence[str], since: int, until: int, *, lead_in: int = 0, echo: int = 0) -> Events:
    """Public holidays of countries or regions, as events; days off instead of one have its name.

    Parameters
    ----------
    codes : str or sequence of str
        ISO 3166 codes: a country, ``"GB"``, or a region of it, ``"DE-BY"``.
    since, until : int
        First and last calendar year, forecast years included.
    lead_in, echo : int
        Days before and after that also feel each of them.

    Raises
    ------
    ParameterError
        If there is no calendar for a code, or the years are in the wrong order.
    """
    found = []
    for day, names in _days_off(codes, since, until):
        at = int(np.datetime64(day, "D").astype(np.int64))
        found += [Event(SUBSTITUTE.sub("", name.strip()), at, at, lead_in, echo) for name in names.split(";")]
    return Events(tuple(found))


def working_days(codes: str | Sequence[str], since: int, until: int, *, cadence: str | Cadence) -> Drivers:
    """Working days of each period as a driver known ahead: Monday to Friday without public holidays.

    Parameters
    ----------
    codes : str or sequence of str
        As in `read_holidays`; ``"none"`` for weekends alone.
    since, until : int
        First and last calendar year, forecast years included.
    cadence : str or Cadence
        Of the history; days or longer.

    Raises
    ------
    ParameterError
        If there is no calendar for a code, the years are in the wrong order, or periods are no whole days.
    """
    spacing = Cadence.named(cadence)
    if spacing.counted or spacing.within_day:
        raise ParameterError("cadence", repr(spacing.name), "working days are counted in periods of whole days")
    off = [] if codes == "none" else [np.datetime64(day, "D") for day, _ in _days_off(codes, since, until)]
    stamps = np.array([f"{since}-01-01", f"{until}-12-31"], dtype="datetime64[s]")
    first, last = spacing.ordinals(stamps).tolist()
    edges = spacing.starts(np.arange(first, last + 2)).astype("datetime64[D]")
    counts = np.busday_count(edges[:-1], edges[1:], holidays=np.array(off, dtype="datetime64[D]"))
    # Periods that reach beyond the years are not known.
    inside = (edges[:-1] >= stamps[0].astype("datetime64[D]")) & (edges[1:] <= np.datetime64(f"{until + 1}-01-01"))
    values = np.where(inside, counts.astype(np.float64), np.nan)
    return Drivers(spacing, (Driver(WORKING_DAYS, True, {EVERY_ITEM: (first, values)}),))
