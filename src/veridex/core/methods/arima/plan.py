"""What is worked out of ARIMA's settings once per item."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.history.item import ItemHistory
from veridex.core.laws.components import PIECES
from veridex.core.methods.arima.fitting import orders_of, size_of
from veridex.core.methods.arima.rolled import CODES, FEWEST_TO_SEARCH, fewest
from veridex.core.methods.arima.walking import MOST_P, MOST_SEASONAL
from veridex.core.methods.fold.criteria import CRITERIA
from veridex.core.methods.fold.plan import Plan, Sizes
from veridex.core.methods.fold.settings import DRIVER_SETTINGS, Setting, Value, choice, number, whole, yes_no
from veridex.core.numerics.arima.models import Orders
from veridex.core.preparation.regressors import Column

__all__ = [
    "DUMMIES",
    "GUIDES",
    "MOST_AVERAGED",
    "ORDERS",
    "SETTINGS",
    "ArimaPlan",
    "is_sound",
    "planned",
]

ORDERS = ("p", "d", "q", "P", "D", "Q")

DUMMIES = "dummies"
"""The word for a season of one fixed effect for each of its periods."""

GUIDES = ("season", "criterion", "max_candidates", "thorough", "average")
"""Settings that guide a search, and mean nothing beside stated orders."""

MOST_AVERAGED = 5


@dataclass(frozen=True, slots=True)
class ArimaPlan(Plan):
    """Orders, where they are stated; how they are searched, where they are not."""

    orders: Orders | None = None
    season: int = 1
    criterion: str = "aicc"
    most: int = 60
    thorough: bool = False
    free: IntArray | None = None
    prune: float | None = None
    with_estimation: bool = False
    average: bool = False
    conditional: bool = False
    dummies: int = 0
    choosing: bool = False

    def whole(self, x: FloatArray | None, n: int) -> FloatArray | None:
        """The rows of all regressors: drivers (rows, r), then the season's where it has fixed effects.

        Effects of the periods of a season add up to nothing: each stands in a column of its own, the first in all.
        """
        if not self.dummies:
            return x
        rows = n + self.horizon if x is None else x.shape[0]
        phases = np.arange(rows) % self.dummies
        own = (phases[:, None] == np.arange(1, self.dummies)).astype(np.float64) - (phases == 0)[:, None]
        return own if x is None else np.hstack((x, own))

    def columns_on(self, series: ItemHistory, n: int) -> tuple[Column, ...]:
        """All regressors by their names, on a span of n periods at the end of a series."""
        first = series.start + len(series) - n
        own = (Column(f"season {series.phase_name(first + j)}", "season") for j in range(1, max(self.dummies, 1)))
        return (*self.columns, *own)

    @property
    def regressors(self) -> int:
        """Columns of all regressors."""
        return len(self.columns) + max(self.dummies - 1, 0)

    def members(self, row: FloatArray) -> list[tuple[float, FloatArray]]:
        """The weight and the parameter row of each model that the row holds, the best first."""
        if not self.average:
            return [(1.0, row)]
        parts = row.reshape(MOST_AVERAGED, -1)
        return [(float(part[0]), part[1:]) for part in parts if part[0] > 0.0]


def _are_lags(value: Value) -> bool:
    whole_ones = isinstance(value, tuple) and all(isinstance(lag, int) and not isinstance(lag, bool) for lag in value)
    return whole_ones and 0 < len(value) == len(set(value)) and 1 <= min(value) <= max(value) <= 400  # type: ignore[arg-type]


SETTINGS: tuple[Setting, ...] = (
    whole("p", 0, 400),
    whole("d", 0, 2),
    whole("q", 0, 400),
    whole("P", 0, 4),
    whole("D", 0, 1),
    whole("Q", 0, 4),
    Setting("lags", None, "lags of the autoregression, as in [1, 2, 12]", _are_lags),
    Setting("ma_lags", None, "lags of the moving average, as in [1, 12]", _are_lags),
    Setting("constant", "auto", "auto, yes or no", lambda value: value == "auto" or isinstance(value, bool)),
    choice("season", "auto", "none", DUMMIES, default="auto"),
    choice("criterion", *CRITERIA, default="aicc"),
    choice("keep", "all", "chosen", default="all"),
    whole("max_candidates", 1, 10_000, default=60),
    yes_no("thorough"),
    yes_no("average"),
    number("prune", 0.0, 1.0),
    choice("intervals", "model", "with-estimation", default="model"),
    choice("likelihood", "exact", "conditional", default="exact"),
    *DRIVER_SETTINGS,
)


def planned(settings: Mapping[str, Any], sizes: Sizes) -> ArimaPlan:
    """Row: the orders and number of drivers, then coefficients, effects, constant, variance."""
    dummies = sizes.season_length if settings["season"] == DUMMIES else 0
    stated = any(settings.get(key) for key in ("P", "Q"))
    season = 1 if settings["season"] == "none" or (dummies and not stated) else sizes.season_length
    orders, free = _stated_orders(settings, season)
    regressors = len(sizes.columns) + max(dummies - 1, 0)
    size = 2 * MOST_P + 2 * MOST_SEASONAL if orders is None else size_of(orders)
    length = CODES + size + regressors + 2
    average = settings["average"]
    least = FEWEST_TO_SEARCH + regressors - len(sizes.columns) if orders is None else fewest(orders, regressors)
    searching = 1 if average else 1 + CODES + size
    return ArimaPlan(
        sizes,
        row_size=MOST_AVERAGED * (1 + length) if average else length,
        warm_size=searching if free is None else 1 + int(free.sum()),
        needs=f"{least} known periods",
        searched=(0,) if orders is None else (),
        components=PIECES if settings["intervals"] == "with-estimation" else MOST_AVERAGED if average else 1,
        conditional=settings["likelihood"] == "conditional",
        orders=orders,
        free=free,
        prune=settings.get("prune"),
        average=average,
        with_estimation=settings["intervals"] == "with-estimation",
        season=season,
        criterion=settings["criterion"],
        most=settings["max_candidates"],
        thorough=settings["thorough"],
        dummies=dummies,
        choosing=settings["keep"] == "chosen",
    )


def _stated_orders(settings: Mapping[str, Any], season: int) -> tuple[Orders | None, IntArray | None]:
    """The orders that the settings state, and which coefficients are free; None where they are to be searched."""
    if all(settings.get(key) is None for key in (*ORDERS, "lags", "ma_lags")):
        return None, None
    p, d, q, seasonal_p, D, seasonal_q = (int(settings.get(key) or 0) for key in ORDERS)
    lags, ma_lags = settings.get("lags") or range(1, p + 1), settings.get("ma_lags") or range(1, q + 1)
    p, q = max(lags, default=0), max(ma_lags, default=0)
    chosen = [j + 1 in lags for j in range(p)] + [j + 1 in ma_lags for j in range(q)]
    free = np.array([*chosen, *[True] * (seasonal_p + seasonal_q)], dtype=np.int64)
    constant = int(d + D == 0 if settings["constant"] == "auto" else settings["constant"])
    return Orders(p, d, q, seasonal_p, D, seasonal_q, season, constant), free


def is_sound(plan: ArimaPlan, row: FloatArray) -> bool:
    """Whether a model's codes are whole, within bounds, and leave its coefficients their places."""
    codes = row[: CODES - 1]
    if not (np.isfinite(codes).all() and (codes == np.rint(codes)).all() and (codes >= 0).all()):
        return False
    o = orders_of(row)
    if plan.orders is not None and o != plan.orders:
        return False
    drivers = int(row[CODES - 1]) if np.isfinite(row[CODES - 1]) else -1
    room = drivers == plan.regressors and CODES + size_of(o) + drivers + 2 <= row.size
    return room and o.d <= 2 and o.D <= 1 and o.m == plan.season and o.constant <= 1
