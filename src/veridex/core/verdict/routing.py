"""How an item is decided: which methods compete and at which origins, judged by what was known at the first of them."""

from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.trial import Trial
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method, method, methods
from veridex.core.methods.fold.status import Status
from veridex.core.tidying.life import alive
from veridex.core.tidying.pattern import demand_pattern

__all__ = ["FEWEST_ORIGINS", "SHORTLIST", "Route", "route", "tested_folds"]

SHORTLIST = methods(("seasonal-naive", "smoothing", "arima", "holt-winters season=additive damped=yes", "theta"))
WITHOUT_SEASON = methods(("naive", "smoothing", "arima", "holt damped=yes", "theta"))
"""The shortlists of regular demand, with a season and without."""

INTERMITTENT = methods(("croston", "sba", "tsb", "simple-smoothing", "mean"))
SHORT = methods(("naive", "simple-smoothing", "holt damped=yes", "theta", "drift"))
"""What can be fitted to a few periods; also published, untested, where nothing could be tested."""

NAIVE = method("naive")

FEWEST_ORIGINS = 3
"""With fewer origins nothing can be weighed."""

FEWEST_PERIODS = 8
"""Known periods below which demand without a season is short; with one it is two seasons."""


@dataclass(frozen=True, slots=True)
class Route:
    """How an item is decided.

    Attributes
    ----------
    name : {"regular", "intermittent", "short", "new", "retired", "untested", "unknown"}
    methods : tuple of Method
        Those that compete.
    origins : ndarray of bool, shape (O,)
        The origins used.
    because : str
        The reason in words; empty for regular demand.
    weighed : bool
        Whether there is evidence enough to weigh methods.
    """

    name: str
    methods: tuple[Method, ...]
    origins: BoolArray
    because: str
    weighed: bool = True


def route(trial: Trial, one: ItemTrial, entered: tuple[Method, ...], tested: BoolArray, *, fixed: bool) -> Route:
    """The route of an item.

    Parameters
    ----------
    trial : Trial
    one : ItemTrial
    entered : tuple of Method
        The methods that may compete.
    tested : ndarray of bool, shape (M, O)
        Whether each method has a forecast for every known cell of an origin, and there are such cells.
    fixed : bool
        Whether `entered` is what the planner allowed, which is then not cut down. A lineup of the planner's own, that
        lacks a method of the shortlist, is not cut down either.
    """
    series = trial.history[one.item]
    with_actuals: BoolArray = np.asarray(tested.any(axis=0))
    if not with_actuals.any():
        known = int((~np.isnan(series.values)).sum())
        if not known:
            return Route("unknown", (), with_actuals, "nothing is known of its demand")
        said = f"with {known} known periods it is too short to be tested"
        return Route("untested", entered if fixed else SHORT, with_actuals, said)
    places = {one: m for m, one in enumerate(trial.lineup)}
    shortlist = SHORTLIST if series.season_length > 1 else WITHOUT_SEASON
    regular = _listed(shortlist, entered, len(shortlist), fixed)
    used = _used_origins(tested[[places[one] for one in regular]], with_actuals)
    values, begin = _before(one, series, used)
    if alive(series.values, series.season_length)[1] and (not fixed or NAIVE in entered):
        return Route("retired", (NAIVE,), used, f"nothing was sold since {_last_sale(series)}")
    interval, _, kind = demand_pattern(values)
    if kind in ("intermittent", "lumpy"):
        said = f"demand comes in about one of {interval:.1f} periods"
        return Route("intermittent", _listed(INTERMITTENT, entered, 2, fixed), used, said)
    known = int((~np.isnan(values)).sum())
    enough = 2 * series.season_length if series.season_length > 1 else FEWEST_PERIODS
    if known >= enough:
        return Route("regular", regular, used, "")
    name = "new" if begin > np.median(trial.history.starts) + series.season_length else "short"
    said = f"only {known} periods were known at the first origin"
    own = tested[[places[one] for one in regular]]
    gained = own[:, used].all(axis=1) & ~own[:, with_actuals].all(axis=1)
    if used.sum() >= FEWEST_ORIGINS and gained.any():
        return Route(name, regular, used, said)  # its later origins tell of seasonal methods
    # A season that cannot be seen twice is no evidence: methods that need little.
    few = tuple(one for one in SHORT if one in entered)
    used = _used_origins(tested[[places[one] for one in few]], with_actuals)
    few = tuple(one for one in few if tested[places[one]][used].all())
    return Route(name, entered if fixed or len(few) < 2 else few, used, said, weighed=False)


def _listed(shortlist: tuple[Method, ...], entered: tuple[Method, ...], fewest: int, fixed: bool) -> tuple[Method, ...]:
    """Those of a shortlist that were entered; all that were where fewer than `fewest` of it were, or it is fixed."""
    kept = tuple(one for one in shortlist if one in entered)
    return entered if fixed or len(kept) < fewest else kept


def _used_origins(tested: BoolArray, with_actuals: BoolArray) -> BoolArray:
    """Origins at which everything that could be fitted at the last one could be fitted already, if there are enough.

    The early origins of a short history know too little for a season, and would rule out every method that sees one.
    """
    last = int(np.flatnonzero(with_actuals)[-1])
    able = tested[tested[:, last]]
    used: BoolArray = np.asarray(with_actuals & np.asarray(able.all(axis=0)))
    return used if used.sum() >= FEWEST_ORIGINS else with_actuals


def _before(one: ItemTrial, series: ItemHistory, used: BoolArray) -> tuple[FloatArray, int]:
    """What was known at the first origin used, and when it began."""
    stop = int(one.origins[used][0]) - series.start + 1
    values = series.values[:stop]
    known = np.flatnonzero(~np.isnan(values))
    return values, series.start + (int(known[0]) if known.size else 0)


def _last_sale(series: ItemHistory) -> str:
    sold = np.flatnonzero(np.nan_to_num(series.values) != 0)
    return series.cadence.text(series.start + int(sold[-1]))


def tested_folds(one: ItemTrial, known: BoolArray) -> BoolArray:
    """Whether each method has a forecast for all known cells (O, H) of an origin, shape (M, O)."""
    has = (~np.isnan(one.points) | ~known).all(axis=2) & (one.status <= Status.DONE)
    found: BoolArray = has & np.asarray(known.any(axis=1))
    return found
