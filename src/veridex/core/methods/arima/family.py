"""ARIMA, with stated orders or with orders found by a search, by exact maximum likelihood."""

from collections.abc import Mapping
from functools import partial
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.arima.fitting import (
    ALL,
    attempt,
    dependent_columns,
    effects_of,
    held,
    moves,
    orders_of,
    replay,
    size_of,
)
from veridex.core.methods.arima.judging import flags_of
from veridex.core.methods.arima.orders import Candidate, search_orders
from veridex.core.methods.arima.paths import arima_paths, arima_roots
from veridex.core.methods.arima.plan import (
    DUMMIES,
    GUIDES,
    MOST_AVERAGED,
    ORDERS,
    SETTINGS,
    ArimaPlan,
    is_sound,
    planned,
)
from veridex.core.methods.arima.prune import pruned, with_chosen_drivers
from veridex.core.methods.arima.rolled import CODES, hindrance, known_end, roll_orders
from veridex.core.methods.arima.rows import fill, keep, kept_orders, past_rows, spelled, store
from veridex.core.methods.arima.tables import arima_coefficients, arima_equation, arima_words, season_words
from veridex.core.methods.arima.uncertainty import fill_with_estimation
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.criteria import criteria
from veridex.core.methods.fold.family import RolledFamily
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.paths import effect_parts, shared_paths
from veridex.core.methods.fold.plan import Rows, Sizes
from veridex.core.methods.fold.settings import Value
from veridex.core.methods.fold.status import Status
from veridex.core.methods.made_of.mixture import criterion_weights, mix
from veridex.core.readable import number as shown
from veridex.errors import SettingError

__all__ = ["Arima"]


class Arima(RolledFamily[ArimaPlan]):
    """Autoregressive integrated moving averages, with a season or without.

    ``phi(B) Phi(B^m) ((1 - B)^d (1 - B^m)^D y - c) = theta(B) Theta(B^m) a`` with ``phi(B) = 1 - phi_1 B - ...`` and
    ``theta(B) = 1 + theta_1 B + ...`` (the sign of Brockwell and Davis, 1991), m the season. The constant c is the mean
    without differences and the drift with one; ``constant=auto`` has one without differences only. Coefficients
    maximise the exact Gaussian likelihood of the known values inside the stationary and invertible region; the
    variance is the maximum-likelihood one. Forecasts are the exact finite-sample predictor; standard errors come from
    the psi weights of the whole model, given the coefficients; normal bounds.

    Without orders they are searched: differences by the tests of `differencing`, then a walk over the orders (Hyndman
    and Khandakar, 2008) that `criterion` guides, at most `max_candidates`, then a small grid around its end;
    ``thorough=yes`` tries every combination of small orders from scratch. A candidate near a unit root, or whose
    factors nearly cancel, is refused. ``season=none`` leaves the season out, ``season=dummies`` gives each of its
    periods a fixed effect, as a season that repeats itself has it; effects add up to nothing. ``average=yes`` weights
    the best five by exp(-criterion / 2).

    ``lags=[1, 2, 12]`` and ``ma_lags=`` estimate these lags alone, the others are zero. ``prune=0.05`` drops the least
    significant lag and estimates anew as long as one has a larger p-value; what is left looks surer than it is.
    ``intervals=with-estimation`` adds the uncertainty of the coefficients by simulation.
    ``likelihood=conditional`` minimises the sum of squares given the first p + P m values instead (Box, Jenkins,
    Reinsel and Ljung, 2015, section 7.1.2).

    Drivers and events enter as a regression whose errors are the ARIMA: they are differenced and filtered along with
    demand, and their effects maximise the same likelihood (generalised least squares). ``keep=chosen`` leaves out those
    that explain too little, as `driver-regression` does, the orders as they were found with all of them.
    """

    name = "arima"
    seasons = "taken out"
    takes_drivers = True
    settings = SETTINGS

    def canonical(self, given: dict[str, Any]) -> dict[str, Any]:
        """Orders of zero go without saying, as long as another one is stated."""
        some = {key: value for key, value in given.items() if key not in ORDERS or value != 0}
        return some if any(key in some for key in (*ORDERS, "lags", "ma_lags")) else given

    def settled(self, given: dict[str, Any], found: Mapping[str, Any]) -> dict[str, Any] | None:
        """The orders instead of how to search them; an average has several."""
        if given.get("average"):
            return None
        kept = {"season": DUMMIES} if given.get("season") == DUMMIES else {}
        return {key: value for key, value in given.items() if key not in GUIDES} | kept | dict(found)

    def domain(self, plan: ArimaPlan, y: FloatArray, row: FloatArray | None) -> Status:
        """Any demand; but a row must hold codes that this plan may have written."""
        if row is None:
            return Status.DONE
        members = plan.members(row)
        sound = bool(members) and all(is_sound(plan, part) for _, part in members)
        return Status.DONE if sound else Status.NOT_ITS_OWN

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse words of the search beside stated orders, and a constant under two differences."""
        stated = any(settings.get(key) is not None for key in (*ORDERS, "lags", "ma_lags"))
        for order, lags in (("p", "lags"), ("q", "ma_lags")):
            if settings.get(order) is not None and settings.get(lags) is not None:
                raise SettingError(self.name, f"state {order}= or {lags}=, not both")
        if not stated and settings["constant"] != "auto":
            raise SettingError(self.name, "constant= goes with stated orders; the search decides it by its criterion")
        if not stated and settings["likelihood"] == "conditional":
            raise SettingError(self.name, "likelihood=conditional needs stated orders, a search the exact one")
        if settings["season"] == DUMMIES and settings.get("D"):
            raise SettingError(self.name, "season=dummies holds the season; a difference over it, D=1, takes it out")
        guides = settings["season"] == "none" or settings["thorough"] or settings["average"]
        if stated and (guides or settings["max_candidates"] != 60 or settings["criterion"] != "aicc"):
            words = "season=none, criterion=, thorough=, average= and max_candidates= guide the search; state no orders"
            raise SettingError(self.name, words)
        if settings["average"] and (settings.get("prune") is not None or settings["intervals"] != "model"):
            raise SettingError(self.name, "an average of models is neither pruned nor simulated")

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> ArimaPlan:
        """Row: the orders and number of drivers, then coefficients, effects, constant, variance."""
        return planned(settings, sizes)

    def rolls(self, plan: ArimaPlan) -> bool:
        """Exact likelihood, given coefficients: all that goes beyond is done fold by fold."""
        beyond = plan.average or plan.with_estimation or plan.conditional or plan.prune is not None
        return not (beyond or plan.dummies or plan.columns)

    def _roll(self, plan: ArimaPlan, folds: Folds, warm: FloatArray) -> None:
        """Estimate by maximum likelihood and forecast; where orders are not stated, search them, then keep them."""
        none, o, count = np.empty((folds.values.size, 0)), 0, folds.status.size
        while o < count:
            if plan.orders is not None and plan.free is not None:
                roll_orders(folds, o, plan.orders, plan.free, False, warm, none)
                return
            if warm[0] == 1.0 and not folds.anew[o]:
                orders = orders_of(warm[1:])
                own = slice(1 + CODES, 1 + CODES + size_of(orders))
                kept = np.append(1.0, warm[own])
                o = roll_orders(folds, o, orders, ALL[: size_of(orders)], True, kept, none)
                warm[own] = kept[1:]
            if o < count:
                plan.forget(warm)
                if folds.status[o] <= Status.DONE:
                    folds.status[o] = self._run(plan, folds.span(o), None, warm, folds.at(o))
                o += 1

    def run(self, plan: ArimaPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """The same from a single origin, with drivers and all that goes beyond."""
        return super().run(plan, y, x, warm, out) if self.rolls(plan) else self._run(plan, y, x, warm, out)

    def _run(self, plan: ArimaPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate, after a search where orders are not stated or kept, and forecast."""
        if plan.dummies == 1:
            return Status.NO_SEASON
        known = _up_to_known(y)
        moving = past_rows(plan.whole(x, y.size), known.size)
        if plan.orders is not None:
            found = attempt(plan.orders, known, warm, plan.free, moving, plan.conditional)
            if found.status > Status.DONE:
                return found.status
        else:
            hindered = hindrance(known)
            if hindered != Status.DONE:
                return hindered
            kept = kept_orders(known, moving, warm)
            if kept is None:
                best, tried = _searched(plan, known, moving)
                if best is None:
                    return Status.NO_FIT
                if plan.average:
                    return self._run_average(plan, y, x, tried, out)
                kept = best
            found = kept
            keep(found, warm)
        if plan.prune is not None:
            found = pruned(found, known, plan.prune, moving, plan.conditional)
        if plan.choosing and moving is not None:
            found = with_chosen_drivers(found, known, moving, len(plan.columns), plan.free, plan.conditional)
        out.row[:] = 0.0
        store(found, out.row)
        out.stats[:] = found.stats
        replayed = self.replay(plan, y, x, out)
        return replayed if found.status == Status.DONE or replayed > Status.DONE else found.status

    def form(self, plan: ArimaPlan, row: FloatArray) -> str:
        """The orders that were found, of an average the best ones."""
        if plan.orders is not None:
            return ""
        return spelled(orders_of(plan.members(row)[0][1]))

    def _run_average(
        self, plan: ArimaPlan, y: FloatArray, x: FloatArray | None, tried: list[Candidate], out: Rows
    ) -> int:
        """Weigh the best few candidates, and forecast with all of them."""
        good = [(criteria(one.tried.stats)[plan.criterion], one.tried) for one in tried if not one.tried.refused]
        good = sorted((pair for pair in good if np.isfinite(pair[0])), key=lambda pair: pair[0])[:MOST_AVERAGED]
        weights = criterion_weights(np.array([value for value, _ in good]))
        out.row[:] = 0.0
        for part, weight, (_, one) in zip(out.row.reshape(MOST_AVERAGED, -1), weights, good, strict=False):
            part[0] = weight
            store(one, part[1:])
        out.stats[:] = good[0][1].stats
        replayed = self.replay(plan, y, x, out)
        return good[0][1].status if replayed == Status.DONE else replayed

    def replay(self, plan: ArimaPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Filter with given coefficients, and forecast."""
        members, x = plan.members(out.row), plan.whole(x, y.size)
        if len(members) > 1:
            mix(plan, y.size, [(weight, partial(fill, y, x, row)) for weight, row in members], out)
            return Status.DONE
        status = fill(y, x, members[0][1], out)
        if plan.with_estimation and status == Status.DONE:
            drawn = fill_with_estimation(plan, y, x, _up_to_known(y).size, plan.conditional, out)
            return Status.DONE if drawn else Status.MODEL_INTERVALS
        return status

    def effects_ahead(self, plan: ArimaPlan, row: FloatArray) -> FloatArray | None:
        """The effects of drivers and events, of averaged models by their weights; those simulated are drawn anew."""
        if plan.with_estimation:
            return None
        count = len(plan.columns)
        members = [weight * effects_of(own)[:count] for weight, own in plan.members(row)]
        return np.asarray(np.sum(members, axis=0))

    def candidates(self, plan: ArimaPlan, y: FloatArray, x: FloatArray | None) -> pd.DataFrame:
        """Everything tried, the best first: orders, criteria, variance, why it was refused."""
        if plan.orders is not None or hindrance(y) != Status.DONE:
            return pd.DataFrame()
        known = _up_to_known(y)
        _, tried = _searched(plan, known, past_rows(plan.whole(x, y.size), known.size))
        table = pd.DataFrame([one.entry() for one in tried])
        refused = table["remark"].str.startswith("refused")
        order = np.lexsort((table[plan.criterion].fillna(np.inf), refused))
        return table.iloc[order].reset_index(drop=True)

    def _variance(self, plan: ArimaPlan, row: FloatArray) -> float:
        """Variance of the innovations."""
        return float(held(plan.members(row)[0][1])[-1])

    def _coefficients(
        self, plan: ArimaPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """Estimates with standard errors from the observed information."""
        known = _up_to_known(y)
        best = plan.members(row)[0][1]
        columns = plan.columns_on(series, y.size)
        moving = past_rows(plan.whole(x, y.size), known.size)
        return arima_coefficients(known, best, series.cadence, moving, columns, plan.conditional)

    def _words(self, plan: ArimaPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say what is differenced, what is remembered, and where forecasts tend."""
        members = plan.members(row)
        season = season_words(plan, members[0][1], series, y.size)
        said = arima_words(members[0][1], series, plan.columns, season, choosing=plan.choosing)
        if plan.conditional:
            said += " It was estimated by conditional sum of squares."
        if plan.orders is not None:
            return said
        o = orders_of(members[0][1])
        found = f"p = {o.p}, d = {o.d}, q = {o.q}"
        if plan.season > 1:
            found += f", P = {o.P}, D = {o.D}, Q = {o.Q} over a season of {o.m}"
        if len(members) > 1:
            share = shown(100 * members[0][0], 2)
            return f"{len(members)} models are averaged; most weight, {share} %, has {found}. {said}"
        return f"The search found {found}. {said}"

    def _equation(self, plan: ArimaPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The difference equation with its numbers."""
        members = plan.members(row)
        text = arima_equation(members[0][1], plan.columns, seasonal=plan.dummies > 1)
        return text if len(members) == 1 else f"of {len(members)} averaged models that with most weight:\n{text}"

    def _likelihood_of(self, plan: ArimaPlan, row: FloatArray) -> str:
        """Values with their differences, or given the first of them."""
        o = orders_of(plan.members(row)[0][1])
        times = ("", "differenced once", "differenced twice")[o.d]
        over = f"over {o.m} periods" if o.D else ""
        words = " and ".join(part for part in (times, f"differenced {over}" if over and not times else over) if part)
        given = " given the first" if plan.conditional else ""
        return f"values {words}{given}".replace("  ", " ").strip()

    def dependent(self, plan: ArimaPlan, y: FloatArray, x: FloatArray) -> tuple[str, ...]:
        """Columns that explain each other once differences are taken."""
        if plan.orders is None:
            return ()
        past = x[: _up_to_known(y).size]  # drivers alone: those that go with a fixed season are found by its effects
        moving = np.flatnonzero(moves(past, plan.orders))
        return tuple(plan.columns[moving[j]].name for j in dependent_columns(past[:, moving], plan.orders))

    def _roots(self, plan: ArimaPlan, row: FloatArray) -> dict[str, NDArray[np.complex128]]:
        """Zeros of the polynomials, the seasonal ones' in powers of the season."""
        return arima_roots(plan.members(row)[0][1])

    def _flags(self, plan: ArimaPlan, y: FloatArray, x: FloatArray | None, row: FloatArray) -> tuple[str, ...]:
        """Near a unit root, piled up at the edge, factors that nearly cancel."""
        best = plan.members(row)[0][1]
        return flags_of(orders_of(best), held(best))

    def paths(
        self, plan: ArimaPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray
    ) -> FloatArray:
        """Paths by the psi weights; of an average each model has its share of them."""
        whole = plan.whole(x, y.size)

        def make(own: FloatArray, part: FloatArray) -> FloatArray:
            rows = Rows.allocate(plan, y.size)
            replay(own, y, whole, rows)
            return arima_paths(own, y, rows.points, part)

        return shared_paths([(weight, partial(make, own)) for weight, own in plan.members(row)], shocks)

    def _contributions(
        self, plan: ArimaPlan, y: FloatArray, x: FloatArray | None, row: FloatArray
    ) -> dict[str, FloatArray]:
        """The effect of each driver and event, and what the ARIMA makes of the rest."""
        best, whole = plan.members(row)[0][1], plan.whole(x, y.size)
        if whole is None or len(plan.members(row)) > 1:
            return {}
        rows = Rows.allocate(plan, y.size)
        replay(best, y, whole, rows)
        effects, drivers = effects_of(best), len(plan.columns)
        parts = {} if x is None else effect_parts(plan.columns, effects[:drivers], x, y.size)
        if plan.dummies:
            parts["season"] = whole[:, drivers:] @ effects[drivers:]
        return {"arima": np.concatenate((rows.fitted, rows.points)) - sum(parts.values()), **parts}


def _up_to_known(y: FloatArray) -> FloatArray:
    """The history up to its last known value."""
    return y[: known_end(y)]


def _searched(plan: ArimaPlan, y: FloatArray, x: FloatArray | None) -> tuple[Any, list[Any]]:
    return search_orders(y, plan.season, criterion=plan.criterion, most=plan.most, thorough=plan.thorough, x=x)
