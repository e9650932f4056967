"""Demand divided by what its periods are long in: working days, shops that were open."""

from dataclasses import replace

import numpy as np

from veridex.core.history.drivers import Drivers
from veridex.core.history.history import History
from veridex.core.history.item import locked
from veridex.errors import ParameterError

__all__ = ["divided"]


def divided(history: History, per: Drivers) -> History:
    """Demand per working day, or per whatever the one column of `per` counts: a measure of its own, which averages.

    A period without any is unknown.

    Raises
    ------
    ParameterError
        If there are several columns, another cadence, or demand is a ratio or was divided before.
    """
    if len(per.columns) != 1:
        raise ParameterError("per", repr(per), "demand is divided by one column; choose it with drivers.chosen([name])")
    if per.cadence != history.cadence:
        raise ParameterError("per", repr(per), f"the history is {history.cadence.name}")
    if not history.measure.adds_up:
        raise ParameterError("per", repr(per), f"{history.measure.name} does not add up, so it is not divided")
    name = per.names[0]
    series = []
    for one in history.under(None):
        count = per.over(one.item, one.start, len(one))[:, 0]
        count = np.where(count > 0.0, count, np.nan)
        censored = None if one.censored is None else np.stack((one.censored[0] / count, one.censored[1]))
        series.append(replace(one, values=locked(one.values / count), censored=censored))
    made = history._with(series, (*history.notes, f"{history.measure.name} was divided by {name}."))
    each = name.replace("_", " ").removesuffix("s")
    own = history.measure
    measure = replace(own, name=f"{own.name} per {each}", unit=f"{own.unit or own.name} per {each}", adds="mean")
    return replace(made, measure=measure)
