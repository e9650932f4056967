"""Any method on transformed demand: the logarithm, or a power of Box and Cox."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.transform import likeliest_power
from veridex.core.history.item import ItemHistory
from veridex.core.laws.components import transformed
from veridex.core.methods.fold.account import Account, Coefficients
from veridex.core.methods.fold.criteria import CRITERIA
from veridex.core.methods.fold.family import Family
from veridex.core.methods.fold.plan import Plan, Rows, Sizes
from veridex.core.methods.fold.settings import Setting, choice, number
from veridex.core.methods.fold.status import Status
from veridex.core.methods.words import LOG_UNIT
from veridex.core.numerics.box_cox import back_moments, back_values, box_cox, log_jacobian
from veridex.core.readable import number as shown

__all__ = ["TRANSFORM", "Transformed", "TransformedPlan"]

TRANSFORM: tuple[Setting, ...] = (
    choice("transform", "none", "log", "box-cox", default="none"),
    number("power", 0.0, 1.0),
)
"""Settings that every method takes."""

HEAD = 2
"""A row begins with the power and the standard error one period ahead on the transformed scale."""


@dataclass(frozen=True, slots=True)
class TransformedPlan(Plan):
    """The plan of the method, and the power if it is stated."""

    inner: Plan | None = None
    power: float | None = None


class Transformed(Family[TransformedPlan]):
    """A method on the logarithm of demand, or on a power of it.

    ``transform=log`` models log y, ``transform=box-cox`` the power of Box and Cox between 0 and 1 under which the
    changes of the training span are likeliest to be normal, or the one that ``power=`` states. Demand must be above
    zero throughout. The law on the transformed scale is taken as normal: point forecasts and fitted values are the
    means of what comes back (bias-corrected, not medians), standard errors its standard deviations, bounds the bounds
    turned back. The log-likelihood holds the Jacobian, so that criteria compare with those of untransformed demand.
    """

    def __init__(self, family: Family[Any]) -> None:
        self._family = family
        self.name = family.name  # type: ignore[misc]
        self.takes_drivers = family.takes_drivers  # type: ignore[misc]
        self.borrows = family.borrows  # type: ignore[misc]
        self.bears_gaps = family.bears_gaps  # type: ignore[misc]

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> TransformedPlan:
        """Row: power, standard error one period ahead, then the method's own row; driver rows are not transformed."""
        inner = self._family.plan(settings, sizes._replace(floor=-math.inf))  # logarithms may be below zero
        power = 0.0 if settings["transform"] == "log" else settings.get("power")
        own = (0,) if power is None or inner.searched else ()
        return TransformedPlan(
            sizes,
            row_size=HEAD + inner.row_size,
            warm_size=HEAD + inner.warm_size,
            needs=inner.needs,
            searched=(*own, *(HEAD + at for at in inner.searched)),
            components=inner.components,
            inner=inner,
            power=power,
        )

    def domain(self, plan: TransformedPlan, y: FloatArray, row: FloatArray | None) -> Status:
        """Demand above zero, and what the method asks of its logarithms or powers."""
        if not (y[~np.isnan(y)] > 0.0).all():
            return Status.ABOVE_ZERO
        if row is None:
            return Status.DONE  # the power is not known yet: the run asks the method itself
        return self._family.domain(plan.inner, box_cox(y, float(row[0])), row[HEAD:])

    def run(self, plan: TransformedPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Choose the power, fit the method to what it makes of demand, and bring its forecasts back."""
        known = y[~np.isnan(y)]
        power = plan.power
        if power is None:
            power = float(warm[1]) if warm[0] == 1.0 else likeliest_power(known, plan.season_length)
        if warm[1] != power:
            warm[:] = 0.0  # an optimum on another scale is no start
        warm[:2] = (1.0, power)
        z = box_cox(y, power)
        inner = out.beyond(HEAD)
        status = self._family.domain(plan.inner, z, None)
        if status <= Status.DONE:
            status = Status(self._family.run(plan.inner, z, x, warm[2:], inner))
        if status > Status.DONE:
            return status
        out.row[0] = power
        # One period ahead a fitted value is what the forecast would have been.
        out.row[1] = out.std_error[0]
        if not np.isnan(out.stats[0]):
            used = int(out.stats[1])
            out.stats[0] += log_jacobian(known[known.size - used :], power)
            out.stats[2] += plan.power is None
        _bring_back(out, power)
        return status

    def replay(self, plan: TransformedPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Forecast from the end of `y` with the row's parameters."""
        power = float(out.row[0])
        status = self._family.replay(plan.inner, box_cox(y, power), x, out.beyond(HEAD))
        _bring_back(out, power)
        return status

    def paths(
        self, plan: TransformedPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray
    ) -> FloatArray:
        """Those of the method, brought back."""
        return back_values(self._family.paths(plan.inner, box_cox(y, row[0]), x, row[HEAD:], shocks), float(row[0]))

    def told_futures(self, plan: TransformedPlan, x: FloatArray, futures: FloatArray, out: Rows) -> FloatArray | None:
        """On logarithms a future multiplies by what it adds to them; other powers have no formula."""
        if out.row[0] != 0.0:
            return None
        inner = replace(out.beyond(HEAD), points=np.zeros(plan.horizon))
        told = self._family.told_futures(plan.inner, x, futures, inner)
        return None if told is None else out.points * np.exp(told)

    def account(
        self, plan: TransformedPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Account:
        """What the method says of transformed demand, and how its forecasts come back.

        Estimates, parts and errors stay on the transformed scale, named so; the Jacobian brings the likelihood back to
        the values themselves.
        """
        power = float(row[0])
        own = self._family.account(plan.inner, box_cox(y, power), x, row[HEAD:], _on_scale(series, power))
        scale = _scale(power)
        stands = "log(demand)" if power == 0 else f"(demand^{shown(power, 2)} - 1) / {shown(power, 2)}"
        return replace(
            own,
            coefficients=own.coefficients if plan.power is not None else _with_power(own.coefficients, power),
            words=f"{scale.capitalize()} of demand is modelled; forecasts are brought back as means, corrected for "
            f"the bias of the way back, and so are not the middle of their intervals. {own.words}",
            equation=f"{own.equation}\ny and its forecasts stand for {stands}",
            form=self.form(plan, row),
            parts={f"{name} of {scale}": part for name, part in own.parts.items()},
            contributions={f"{name} of {scale}": part for name, part in own.contributions.items()},
        )

    def form(self, plan: TransformedPlan, row: FloatArray) -> str:
        """The power, if it was estimated, and what the method searched."""
        power = f"power={row[0]:.2f} " if plan.power is None else ""
        return f"{power}{self._family.form(plan.inner, row[HEAD:])}".strip()

    def candidates(self, plan: TransformedPlan, y: FloatArray, x: FloatArray | None) -> pd.DataFrame:
        """What a search tried, with the Jacobian in its criteria (the power is not counted as estimated there)."""
        rows = Rows.allocate(plan, y.size)
        if self.run(plan, y, x, np.zeros(plan.warm_size), rows) > Status.DONE:
            return pd.DataFrame()
        known = y[~np.isnan(y)]
        table = self._family.candidates(plan.inner, box_cox(y, rows.row[0]), x)
        if not len(table):
            return table
        jacobian = log_jacobian(known[known.size - int(rows.stats[1]) :], float(rows.row[0]))
        criteria = table[list(CRITERIA)] - 2.0 * jacobian
        return table.assign(log_likelihood=table["log_likelihood"] + jacobian, **criteria)

    def dependent(self, plan: TransformedPlan, y: FloatArray, x: FloatArray) -> tuple[str, ...]:
        """Those of the method, whatever the power."""
        return self._family.dependent(plan.inner, y, x)


def _with_power(found: Coefficients, power: float) -> Coefficients:
    """The estimates, the power among them."""
    names, values, errors = (*found.names, "power"), np.append(found.values, power), np.append(found.errors, np.nan)
    return replace(found, names=names, values=values, errors=errors)


def _bring_back(out: Rows, power: float) -> None:
    """Turn everything but the parameters from the transformed scale to demand."""
    out.points[:], out.std_error[:] = back_moments(out.points, out.std_error, power)
    transformed(out.law, power)
    spread = np.full(out.fitted.size, out.row[1])
    out.fitted[:] = back_moments(out.fitted, spread, power)[0]


def _scale(power: float) -> str:
    return "the logarithm" if power == 0 else f"the power {shown(float(power), 2)}"


def _on_scale(series: ItemHistory, power: float) -> ItemHistory:
    """The series with a unit that says which scale its method speaks of."""
    unit = LOG_UNIT if power == 0 else "on the transformed scale"
    return replace(series, measure=replace(series.measure, unit=unit))
