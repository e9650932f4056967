"""Drivers and events as the columns a method sees: what is recorded, and up to when each is known at an origin."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.drivers import Drivers
from veridex.core.history.events import Events
from veridex.core.history.interventions import Intervention, intervention
from veridex.core.history.item import ItemHistory
from veridex.core.periods.cadence import Cadence
from veridex.core.readable import number
from veridex.errors import ParameterError

__all__ = ["Column", "Explanation", "Regressors"]


FEWEST_TO_MIRROR = 8
"""Periods with both from which on a driver is told to be demand."""

FREAK = 0.5
"""Leverage of one reading from which on it outweighs all others."""

MIRRORED = 1e-12
"""Share of its variance that a linear function of demand leaves for rounding."""


class Column(NamedTuple):
    """What a column of the driver rows holds, by its name: a driver, an event, a pulse, a step or a ramp."""

    name: str
    kind: str


@dataclass(frozen=True, slots=True, eq=False)
class Regressors:
    """The drivers and events that a method uses.

    Attributes
    ----------
    cadence : Cadence
        Of the history.
    drivers : Drivers or None
        Lags and changes are drivers of their own here.
    events : Events or None
    """

    cadence: Cadence
    drivers: Drivers | None = field(default=None, repr=False)
    events: Events | None = field(default=None, repr=False)

    @classmethod
    def chosen(
        cls, cadence: Cadence, drivers: Drivers | None, events: Events | None, settings: Mapping[str, Any]
    ) -> "Regressors | None":
        """Those that a method's settings ask for; None where that is nothing.

        Raises
        ------
        ParameterError
            If a driver has another cadence, an unknown name, or is asked for where there are none.
        """
        wanted = settings.get("drivers", "all")
        if isinstance(wanted, tuple) and drivers is None and all(intervention(str(one), cadence) for one in wanted):
            drivers = Drivers(cadence, ())
        if drivers is not None and drivers.cadence != cadence:
            problem = f"the history is {cadence.name}; bring them to it with drivers.at_cadence({cadence.name!r}, ...)"
            raise ParameterError("drivers", repr(drivers), problem)
        if isinstance(wanted, tuple) and drivers is None:
            raise ParameterError("drivers", repr(wanted), "the method asks for these, and no drivers were passed")
        if wanted == "none":
            drivers = None
        elif isinstance(wanted, tuple) and drivers is not None:
            drivers = drivers.chosen([str(name) for name in wanted])
        if settings.get("events") == "none" or (events is not None and not len(events)):
            events = None
        return None if drivers is None and events is None else cls(cadence, drivers, events)

    @np.errstate(all="ignore")
    def refuse_mirrors(self, histories: Iterable[ItemHistory]) -> None:
        """Refuse a driver that is demand itself, or a linear function of it, on an item.

        Raises
        ------
        ParameterError
        """
        if self.drivers is None or not self.drivers.columns:
            return
        for series in histories:
            values = self.drivers.over(series.item, series.start, len(series))
            for driver, column in zip(self.drivers.columns, values.T, strict=True):
                if isinstance(driver, Intervention):
                    continue  # a step of demand is what a step is for
                both = ~np.isnan(column) & ~np.isnan(series.actuals)
                if both.sum() >= FEWEST_TO_MIRROR and _mirrors(column[both], series.actuals[both]):
                    problem = f"on {series.item!r} it is demand itself, or a linear function of it; leave it out, or "
                    problem += f"use what was known before, as in {driver.name}@1"
                    raise ParameterError("drivers", repr(driver.name), problem)

    @np.errstate(all="ignore")
    def freaks(self, series: ItemHistory) -> tuple[str, ...]:
        """Readings of a driver that weigh more than all others together in what its effect is told by, in words.

        The leverage of a reading is its squared distance from the mean as a share of all (Belsley, Kuh and Welsch,
        1980, Regression Diagnostics, section 2.1). Drivers of two values, as promotions, have none.
        """
        if self.drivers is None or not self.drivers.columns:
            return ()
        said = []
        values = self.drivers.seen(series.item, series.start, len(series), 0)
        for driver, column in zip(self.drivers.columns, values.T, strict=True):
            used = np.where(np.isnan(series.actuals), np.nan, column)
            known = used[~np.isnan(used)]
            if np.unique(known).size < 3:
                continue
            share = np.nan_to_num(np.square(used - known.mean()) / np.square(known - known.mean()).sum())
            at = int(share.argmax())
            if share[at] > FREAK:
                reading = f"a reading of {number(float(used[at]), 6)} in {self.cadence.text(series.start + at)}"
                said.append(
                    f"{driver.name} has {reading} that weighs more than all its others together: its effect rests on "
                    f"that one; correct it if it is wrong."
                )
        return tuple(said)

    @property
    def columns(self) -> tuple[Column, ...]:
        """Drivers first, then events."""
        drivers = () if self.drivers is None else self.drivers.columns
        events = () if self.events is None else self.events.names
        kinds = (Column(one.name, one.kind if isinstance(one, Intervention) else "driver") for one in drivers)
        return (*kinds, *(Column(name, "event") for name in events))

    def recorded(self, item: str, start: int, known: int, ahead: int) -> FloatArray:
        """All that is recorded over `known` periods from `start` on and `ahead` more, shape (known + ahead, columns).

        NaN where a driver has no value; zero throughout where an event happened fewer than twice in the known
        periods, too seldom to estimate its effect.
        """
        parts = []
        if self.drivers is not None:
            parts.append(self.drivers.seen(item, start, known, ahead))
        if self.events is not None:
            found = self.events.estimable(self.cadence, start, known, ahead)
            columns = np.zeros((known + ahead, len(self.events.names)))
            for name, values in zip(found.names, found.values.T, strict=True):
                columns[:, self.events.names.index(name)] = values
            parts.append(columns)
        return np.ascontiguousarray(np.hstack(parts))

    def shown(self, item: str, start: int, known: int, ahead: int, *, perfect: bool) -> bytes:
        """A fingerprint's worth of all that a forecast after `known` periods may see of them."""
        parts = [repr((self.columns, self.leads(ahead))).encode()]
        if self.drivers is not None and self.drivers.columns:
            values = self.drivers.over(item, start, known + ahead)
            for column, lead in zip(values.T, self.leads(ahead), strict=False):
                if not perfect:
                    column[known + lead :] = np.nan
            parts += [values.tobytes(), b"" if self.drivers.rules is None else self.drivers.rules.key.encode()]
        if self.events is not None:
            parts.append(self.events.estimable(self.cadence, start, known, ahead).values.tobytes())
        return b"".join(parts)

    def leads(self, horizon: int) -> list[int]:
        """For each column, of how many lead times its value is known at an origin."""
        drivers = () if self.drivers is None else self.drivers.names
        found = []
        for column in self.columns:
            lead = self.drivers.lead_known(column.name) if self.drivers is not None and column.name in drivers else None
            found.append(horizon if lead is None else min(lead, horizon))
        return found

    def check_ahead(self, item: str, stop: int, horizon: int) -> None:
        """Refuse a driver known ahead that does not reach the horizon, with the first period it lacks.

        Raises
        ------
        ParameterError
        """
        if self.drivers is None:
            return
        values = self.drivers.over(item, stop, horizon)
        for driver, lead, column in zip(self.drivers.columns, self.leads(horizon), values.T, strict=False):
            lost = np.flatnonzero(np.isnan(column[:lead]))
            if lost.size:
                first = self.cadence.text(stop + int(lost[0]))
                problem = f"it has no value for {first}, and the forecast needs {horizon} periods from "
                problem += f"{self.cadence.text(stop)} on; add its future values, or do not name it known ahead"
                raise ParameterError("drivers", repr(driver.name), problem)


def _mirrors(driver: FloatArray, demand: FloatArray) -> bool:
    """Whether one is a linear function of the other, to rounding; straight lines all are, and tell nothing."""
    x, y = driver - driver.mean(), demand - demand.mean()
    room, own = float(x @ x), float(y @ y)
    bends = np.diff(demand, n=2)
    if not (room > 0.0 and own > 0.0 and float(bends @ bends) > MIRRORED * own):
        return False
    rest = y - (float(x @ y) / room) * x
    return float(rest @ rest) <= MIRRORED * own


@dataclass(frozen=True, slots=True, eq=False)
class Explanation:
    """What was handed over to explain demand.

    Attributes
    ----------
    drivers : Drivers or None
    events : Events or None
    foresight : {"none", "perfect"}
        Where forecasts take the future of observed-only drivers from: a forecast of their own, or what was recorded.
    """

    drivers: Drivers | None = None
    events: Events | None = None
    foresight: str = "none"

    def __post_init__(self) -> None:
        if self.foresight not in ("none", "perfect"):
            raise ParameterError("foresight", repr(self.foresight), "say 'none' or 'perfect'")

    @property
    def given(self) -> bool:
        """Whether there are drivers or events at all."""
        return self.drivers is not None or self.events is not None

    @property
    def fingerprint(self) -> str:
        """Everything that it says, as text."""
        drivers = None if self.drivers is None else self.drivers.fingerprint
        return repr((drivers, None if self.events is None else self.events.happenings, self.foresight))

    @property
    def perfect(self) -> bool:
        """Whether forecasts are made with values that nobody knew at the time."""
        return self.foresight == "perfect" and self.drivers is not None and bool(self._observed)

    @property
    def _observed(self) -> list[str]:
        if self.drivers is None:
            return []
        return [name for name in self.drivers.names if name not in self.drivers.known_ahead]

    def notes(self, without: Sequence[str]) -> tuple[str, ...]:
        """Say how a backtest treats them, and which methods, `without` drivers, forecast from demand alone."""
        if not self.given:
            return ()
        found = []
        if self.drivers is not None and self.drivers.known_ahead:
            ahead = ", ".join(self.drivers.known_ahead)
            found.append(f"Drivers known ahead ({ahead}) enter with their recorded values, not with what was planned.")
        if self._observed:
            how = "are forecast at each origin by smoothing"
            if self.foresight == "perfect":
                how = "enter with recorded values that nobody knew at the origin (perfect foresight)"
            found.append(f"Drivers only observed ({', '.join(self._observed)}) {how}.")
        if without:
            found.append(f"These methods forecast from demand alone: {', '.join(without)}.")
        return tuple(found)
