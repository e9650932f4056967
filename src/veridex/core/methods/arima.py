"""ARIMA, with stated orders or with orders found by a search, by exact maximum likelihood."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.history.item import ItemHistory
from veridex.core.methods.arima_fit import CODES, attempt, fewest, held, orders_of, replay, size_of
from veridex.core.methods.arima_orders import MOST_P, MOST_SEASONAL, search_orders
from veridex.core.methods.arima_tables import arima_coefficients, arima_equation, arima_words
from veridex.core.methods.contract import Coefficients, Family, FloatArray, Plan, Rows
from veridex.core.methods.criteria import CRITERIA
from veridex.core.methods.settings import Setting, Value, choice, whole, yes_no
from veridex.core.methods.status import Status
from veridex.core.numerics.arima import Orders
from veridex.errors import SettingError

__all__ = ["Arima", "ArimaPlan"]

ORDERS = ("p", "d", "q", "P", "D", "Q")
FEWEST_TO_SEARCH = 8


@dataclass(frozen=True, slots=True)
class ArimaPlan(Plan):
    """Orders, where they are stated; how they are searched, where they are not."""

    orders: Orders | None = None
    season: int = 1
    criterion: str = "aicc"
    most: int = 60
    thorough: bool = False


class Arima(Family[ArimaPlan]):
    """Autoregressive integrated moving averages, with a season or without.

    ``phi(B) Phi(B^m) ((1 - B)^d (1 - B^m)^D y - c) = theta(B) Theta(B^m) a`` with ``phi(B) = 1 - ar1 B - ...`` and
    ``theta(B) = 1 + ma1 B + ...`` (the sign of Brockwell and Davis, 1991), m the cycle. The constant c is the mean
    without differences and the drift with one; ``constant=auto`` has one without differences only. Coefficients
    maximise the exact Gaussian likelihood of the known values inside the stationary and invertible region; the
    variance is the maximum-likelihood one. Forecasts are the exact finite-sample predictor; standard errors come from
    the psi weights of the whole model, given the coefficients; normal bounds.

    Without orders they are searched: differences by the tests of `differencing`, then a walk over the orders (Hyndman
    and Khandakar, 2008) that `criterion` guides, at most `max_candidates`, then a small grid around its end;
    ``thorough=yes`` tries every combination of small orders from scratch. A candidate near a unit root, or whose
    factors nearly cancel, is refused. ``season=none`` leaves the season out.
    """

    name = "arima"
    settings = (
        whole("p", 0, 400),
        whole("d", 0, 2),
        whole("q", 0, 400),
        whole("P", 0, 4),
        whole("D", 0, 1),
        whole("Q", 0, 4),
        Setting("constant", "auto", "auto, yes or no", lambda value: value == "auto" or isinstance(value, bool)),
        choice("season", "auto", "none", default="auto"),
        choice("criterion", *CRITERIA, default="aicc"),
        whole("max_candidates", 1, 10_000, default=60),
        yes_no("thorough"),
    )

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse words of the search beside stated orders, and a constant under two differences."""
        stated = any(settings.get(key) is not None for key in ORDERS)
        if not stated and settings["constant"] != "auto":
            raise SettingError(self.name, "constant= goes with stated orders; the search decides it by its criterion")
        if stated and (settings["season"] == "none" or settings["thorough"] or settings["max_candidates"] != 60):
            raise SettingError(self.name, "season=, thorough= and max_candidates= guide the search; state no orders")

    def prepare(self, settings: Mapping[str, Any], cycle: int, horizon: int, levels: tuple[float, ...]) -> ArimaPlan:
        """Row: the orders, then coefficients, constant, variance."""
        season = 1 if settings["season"] == "none" else cycle
        orders = None
        size = 2 * MOST_P + 2 * MOST_SEASONAL
        if any(settings.get(key) is not None for key in ORDERS):
            p, d, q, seasonal_p, seasonal_d, seasonal_q = (int(settings.get(key) or 0) for key in ORDERS)
            auto = settings["constant"] == "auto"
            constant = int(d + seasonal_d == 0 if auto else settings["constant"])
            orders = Orders(p, d, q, seasonal_p, seasonal_d, seasonal_q, season, constant)
            size = size_of(orders)
        return ArimaPlan(
            cycle,
            horizon,
            levels,
            row_size=CODES + size + 2,
            warm_size=1 + size if orders else 0,
            orders=orders,
            season=season,
            criterion=settings["criterion"],
            most=settings["max_candidates"],
            thorough=settings["thorough"],
        )

    def run(self, plan: ArimaPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate by maximum likelihood, after a search where orders are not stated, and forecast."""
        known = _up_to_known(y)
        if plan.orders is not None:
            found = attempt(plan.orders, known, warm)
            if found.status > Status.DONE:
                return found.status
        else:
            if np.count_nonzero(~np.isnan(known)) < FEWEST_TO_SEARCH:
                return Status.TOO_SHORT
            if np.nanmin(known) == np.nanmax(known):
                return Status.CONSTANT
            best, _ = _searched(plan, known)
            if best is None:
                return Status.NO_FIT
            found = best
        out.row[:] = 0.0
        out.row[:CODES] = found.orders
        out.row[CODES : CODES + found.row.size] = found.row
        out.stats[:] = found.stats
        replayed = self.replay(plan, y, x, out)
        return found.status if replayed == Status.DONE else replayed

    def replay(self, plan: ArimaPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Filter with given coefficients, and forecast."""
        status = replay(orders_of(out.row), y, held(out.row).copy(), out)
        out.fill_bounds(plan.quantiles)
        return status

    def candidates(self, plan: ArimaPlan, y: FloatArray) -> pd.DataFrame:
        """Everything tried, the best first: orders, criteria, variance, why it was refused, milliseconds."""
        if plan.orders is not None:
            return pd.DataFrame()
        _, tried = _searched(plan, _up_to_known(y))
        table = pd.DataFrame([one.entry() for one in tried])
        refused = table["remark"].str.startswith("refused")
        order = np.lexsort((table[plan.criterion].fillna(np.inf), refused))
        return table.iloc[order].reset_index(drop=True)

    def needs(self, plan: ArimaPlan) -> str:
        """A few values more than coefficients."""
        return f"{FEWEST_TO_SEARCH if plan.orders is None else fewest(plan.orders)} known periods"

    def variance(self, plan: ArimaPlan, row: FloatArray) -> float:
        """Variance of the innovations."""
        return float(held(row)[-1])

    def coefficients(self, plan: ArimaPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> Coefficients:
        """Estimates with standard errors from the observed information."""
        return arima_coefficients(_up_to_known(y), row)

    def in_words(self, plan: ArimaPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say what is differenced, what is remembered, and where forecasts tend."""
        said = arima_words(row, series)
        if plan.orders is not None:
            return said
        o = orders_of(row)
        found = f"p = {o.p}, d = {o.d}, q = {o.q}"
        if plan.season > 1:
            found += f", P = {o.P}, D = {o.D}, Q = {o.Q} over a cycle of {o.m}"
        return f"The search found {found}. {said}"

    def equation(self, plan: ArimaPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The difference equation with its numbers."""
        return arima_equation(row)


def _up_to_known(y: FloatArray) -> FloatArray:
    """The history up to its last known value."""
    return y[: int(np.flatnonzero(~np.isnan(y))[-1]) + 1]


def _searched(plan: ArimaPlan, y: FloatArray) -> tuple[Any, list[Any]]:
    return search_orders(y, plan.season, criterion=plan.criterion, most=plan.most, thorough=plan.thorough)
