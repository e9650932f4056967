"""The regular spacing of a history, and the arithmetic of its periods.

A period is kept as an ordinal: whole periods since an epoch, so that neighbours differ by one. Ordinals turn
into start stamps (`datetime64[s]`, or the int itself when counted) and into ISO text only at the edge.
"""

import re
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import IntArray
from veridex.core.periods.spellings import EXAMPLES, read_period
from veridex.core.readable import number
from veridex.errors import CadenceUnknown, ParameterError

__all__ = ["CADENCES", "Cadence"]

Unit = Literal["Y", "M", "D", "B", "h", "m"]

MONTHS = (
    *("january", "february", "march", "april", "may", "june"),
    *("july", "august", "september", "october", "november", "december"),
)
WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
MINUTES_A_DAY = 1440
DAYS_A_YEAR = 365.25
FISCAL = re.compile(f"(yearly|quarterly)-({'|'.join(MONTHS)})")
FINER = re.compile(r"(\d+) (minute|hour)s?")


@dataclass(frozen=True, slots=True)
class Cadence:
    """A regular spacing.

    Attributes
    ----------
    name : str
        The word for it, ``"monthly"``.
    unit : {"Y", "M", "D", "B", "h", "m"} or None
        What is counted: years, months, days, working days (Monday to Friday), hours, minutes; None for
        ``counted``, which has no calendar.
    count : int
        How many units make a period.
    anchor : int
        Units from the start of period 0 to the epoch (1970-01-01).
    season_length : int
        Periods after which the season repeats, unless the planner says otherwise.
    noun : str
        What one period is called in a sentence.
    longer : tuple of float
        Seasons of the calendar above that one, in periods: the week over the day, the year over the week. A year of
        weeks is no whole number of them and stands here too.
    """

    name: str
    unit: Unit | None
    count: int
    anchor: int
    season_length: int
    noun: str
    longer: tuple[float, ...] = ()

    @classmethod
    def named(cls, word: "str | Cadence | None") -> "Cadence":
        """Find a cadence by its name.

        Known are the names of `CADENCES`, weeks that begin on another day (``weekly-wednesday``), years and
        quarters that begin in another month (``yearly-april``, ``quarterly-february``), and parts of a day:
        ``10 minutes``, ``6 hours``.

        Raises
        ------
        CadenceUnknown
            If the word is none of these.
        """
        if isinstance(word, Cadence):
            return word
        for cadence in CADENCES:
            if cadence.name == word:
                return cadence
        word = word if isinstance(word, str) else repr(word)
        if word.startswith("weekly-") and word.removeprefix("weekly-") in WEEKDAYS:
            return _weekly(WEEKDAYS.index(word.removeprefix("weekly-")))
        if parts := FISCAL.fullmatch(word):
            return _fiscal(parts[1], MONTHS.index(parts[2]))
        if parts := FINER.fullmatch(word):
            count, size = int(parts[1]), 60 if parts[2] == "hour" else 1
            if count * size == 60:
                return cls.named("hourly")
            if 0 < count * size < MINUTES_A_DAY and MINUTES_A_DAY % (count * size) == 0:
                name = f"{count} {parts[2]}{'s' if count > 1 else ''}"
                noun = f"span of {name}" if count > 1 else parts[2]
                a_day = MINUTES_A_DAY // (count * size)
                return cls(name, "m", count * size, 0, a_day, noun, (7.0 * a_day, DAYS_A_YEAR * a_day))
        also = ("weekly-wednesday", "yearly-april", "quarterly-february", "10 minutes", "6 hours")
        raise CadenceUnknown(word, (*(c.name for c in CADENCES), *also))

    def fiscal(self, first_month: int) -> "Cadence":
        """Years or quarters that begin in a month, 1 to 12; other cadences stay as they are."""
        return _fiscal(self.name, first_month - 1) if self.name in ("yearly", "quarterly") else self

    @property
    def counted(self) -> bool:
        """Whether periods are plain numbers without dates."""
        return self.unit is None

    @property
    def within_day(self) -> bool:
        """Whether periods are shorter than a day."""
        return self.unit in ("h", "m")

    @property
    def days(self) -> float:
        """Days of the calendar in a period, in the mean; NaN when counted. Five working days are a week."""
        size = {"Y": DAYS_A_YEAR, "M": DAYS_A_YEAR / 12.0, "D": 1.0, "B": 1.4, "h": 1.0 / 24.0, "m": 1.0 / 1440.0}
        return self.count * size.get(self.unit or "", float("nan"))

    def ordinals(self, stamps: NDArray[Any]) -> IntArray:
        """Ordinals of the periods that hold the given stamps (`datetime64`; ints when counted).

        With working days, a Saturday or Sunday belongs to the Monday after it.
        """
        if self.unit is None:
            return np.asarray(stamps, dtype=np.int64)
        if self.unit == "B":
            days = np.busday_offset(stamps.astype("datetime64[D]"), 0, roll="forward")
            return np.asarray(np.busday_count(np.datetime64("1970-01-01"), days), dtype=np.int64)
        units = stamps.astype(f"datetime64[{self.unit}]").astype(np.int64)
        return (units + self.anchor) // self.count

    def starts(self, ordinals: IntArray | int) -> NDArray[Any]:
        """Start stamps of periods: `datetime64[s]`, or the ordinals themselves when counted."""
        ordinals = np.asarray(ordinals, dtype=np.int64)
        if self.unit is None:
            return ordinals
        if self.unit == "B":
            return np.asarray(np.busday_offset(np.datetime64("1970-01-01"), ordinals)).astype("datetime64[s]")
        units = ordinals * self.count - self.anchor
        return units.astype(f"datetime64[{self.unit}]").astype("datetime64[s]")

    def text(self, ordinal: int) -> str:
        """A period as people write it: 2026, 2026-Q3, 2026-09, 2026-W37, 2026-09-14, 2026-09-14 06:00, 17.

        Weeks have numbers where they begin on Monday (ISO 8601), else they go by their first day.
        """
        if self.unit is None:
            return str(int(ordinal))
        stamp = str(self.starts(ordinal))
        if self.name == "yearly":
            return stamp[:4]
        if self.name == "quarterly":
            return f"{stamp[:4]}-Q{(int(stamp[5:7]) + 2) // 3}"
        if self.name == "weekly":
            year, week, _ = self.starts(ordinal).item().isocalendar()
            return f"{year}-W{week:02d}"
        if self.within_day:
            return stamp[:16].replace("T", " ")
        return stamp[:7] if self.unit in ("M", "Y") else stamp[:10]

    def iso(self, starts: NDArray[Any]) -> list[str]:
        """Start stamps as ISO text for files: days, with hours and minutes where periods are shorter."""
        if self.unit is None:
            return [str(start) for start in starts]
        return list(np.datetime_as_string(starts.astype("datetime64[s]"), unit="m" if self.within_day else "D"))

    def iso_of(self, ordinal: int) -> str:
        """One period as files have it."""
        return self.iso(self.starts(np.array([ordinal])))[0]

    @lru_cache(maxsize=4096)  # noqa: B019 - cadences are few, and never go
    def phase_name(self, ordinal: int) -> str:
        """The place of a period in its natural season, in words: ``March``, ``Q3``, ``week 12``, ``Monday``."""
        if self.unit is None:
            return f"phase {ordinal % max(self.season_length, 1) + 1}"
        stamp = self.starts(ordinal).item()
        if self.within_day:
            return f"{stamp:%H:%M}"
        if self.unit == "M":
            if self.name != "quarterly":
                return f"{stamp:%B}" if self.count == 1 else f"quarter from {stamp:%B}"
            return f"Q{(stamp.month + 2) // 3}"
        if self.name in ("daily", "workday"):
            return f"{stamp:%A}"
        return str(stamp.year) if self.unit == "Y" else f"week {stamp.isocalendar().week}"

    @property
    def plural(self) -> str:
        """What several periods are called: ``months``, ``spans of 10 minutes``."""
        return self.noun.replace("span", "spans", 1) if self.noun.startswith("span of") else f"{self.noun}s"

    def length(self, periods: float) -> str:
        """A number of periods in words: ``1 month``, ``2.4 months``."""
        shown = number(periods, 3)
        return f"{shown} {self.noun if shown == '1' else self.plural}"

    def last(self, periods: float) -> str:
        """The latest periods in words: ``the last month``, ``the last 2.4 months``."""
        length = self.length(periods)
        return f"the last {self.noun if length == f'1 {self.noun}' else length}"

    def period(self, value: object) -> int:
        """Ordinal of one period, given as text, a date, a stamp or, when counted, a number.

        Raises
        ------
        ParameterError
            If it cannot be read as a period of this cadence.
        """
        if isinstance(value, (int, np.integer)) and self.counted:
            return int(value)
        if isinstance(value, np.datetime64) and not self.counted:
            return int(self.ordinals(np.asarray(value)))
        stamp = read_period(str(value), counted=self.counted)
        if stamp is None:
            wanted = "a whole number" if self.counted else f"a date such as {EXAMPLES}"
            raise ParameterError("period", repr(value), f"{self.name} periods are given as {wanted}")
        return int(self.ordinals(np.asarray(stamp)))


def _weekly(first_day: int) -> Cadence:
    """Weeks that begin on a day of the week, 0 for Monday (ISO 8601). The epoch was a Thursday."""
    name = "weekly" if first_day == 0 else f"weekly-{WEEKDAYS[first_day]}"
    return Cadence(name, "D", 7, (3 - first_day) % 7, 52, "week", (DAYS_A_YEAR / 7,))


def _fiscal(kind: str, first: int) -> Cadence:
    """Years or quarters that begin in a month, 0 for January; those of the calendar keep their plain names."""
    months = 12 if kind == "yearly" else 3
    first %= months
    if first == 0:
        return CADENCES[0] if kind == "yearly" else CADENCES[1]
    return Cadence(f"{kind}-{MONTHS[first]}", "M", months, months - first, 12 // months, kind.removesuffix("ly"))


CADENCES = (
    Cadence("yearly", "Y", 1, 0, 1, "year"),
    Cadence("quarterly", "M", 3, 0, 4, "quarter"),
    Cadence("monthly", "M", 1, 0, 12, "month"),
    _weekly(0),
    Cadence("workday", "B", 1, 0, 5, "working day", (DAYS_A_YEAR * 5 / 7,)),
    Cadence("daily", "D", 1, 0, 7, "day", (DAYS_A_YEAR,)),
    Cadence("hourly", "h", 1, 0, 24, "hour", (168.0, 24.0 * DAYS_A_YEAR)),
    Cadence("counted", None, 1, 0, 1, "period"),
)
