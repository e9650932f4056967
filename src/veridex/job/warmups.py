"""What compiles the kernels of each family: small work of every kind, on demand made for it.

``python -m veridex.job.warmups arima`` does one part in a process of its own.
"""

import sys
from collections.abc import Callable

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.backtest.engine import SerialEngine
from veridex.core.backtest.runner import Course, Running, run_backtest
from veridex.core.backtest.schemes import RollingOrigin
from veridex.core.diagnosis.decomposition import decompose
from veridex.core.diagnosis.differencing import differencing
from veridex.core.diagnosis.stationarity import stationarity
from veridex.core.fitted.fitted import fit
from veridex.core.history.history import History
from veridex.core.methods.catalogue import Method, method, methods
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.plan import Sizes
from veridex.core.methods.fold.running import roll_unguarded
from veridex.core.tidying.profile import profile_items
from veridex.core.tidying.tidy import tidy
from veridex.core.verdict.verdict import decide
from veridex.job.preparing import FAMILIES

__all__ = ["PARTS", "warm_up"]

MONTHS = 60
FOLDS, AHEAD = (36, 48, MONTHS), 6


def warm_up(part: str) -> None:
    """Compile one part.

    Raises
    ------
    KeyError
        If there is no such part.
    """
    with np.errstate(all="ignore"):
        PARTS[part]()


def _of_family(name: str) -> Callable[[], None]:
    def work() -> None:
        history = _history()
        for text in FAMILIES[name]:
            one = method(text)
            lent = {"": np.ones((len(FOLDS), 2, 12))} if one.borrows else None
            _roll(one, history["smooth"].values, lent)
            fitted = fit(history["smooth"], one, borrowed=None if lent is None else {"": lent[""][0]})
            if fitted.available:
                assert fitted.account is not None
                fitted.forecast(AHEAD)

    return work


def _roll(one: Method, y: FloatArray, lent: dict[str, FloatArray] | None) -> None:
    """All folds in one call, as a backtest runs them."""
    plan = one.family.plan(one.settings, Sizes(12, AHEAD, borrowed=lent))
    spans = np.concatenate([y[:stop] for stop in FOLDS])
    folds = Folds.over(plan, spans, np.cumsum([0, *FOLDS]), np.zeros(len(FOLDS), dtype=bool))
    roll_unguarded(one.family, plan, folds, None, np.zeros(plan.warm_size))


def _histories() -> None:
    history = _history()
    profile_items(history)
    tidy(history, gaps="interpolate", outliers="flag")


def _diagnosis() -> None:
    series = _history()["smooth"]
    stationarity(series)
    differencing(series)
    decompose(series)


def _backtests() -> None:
    running = Running(engine=SerialEngine(), clock=lambda: 0.0)
    scheme = RollingOrigin(horizon=AHEAD, origins=12)
    course = Course(lineup=methods(["naive", "seasonal-naive"]), scheme=scheme, levels=(80.0, 95.0))
    trial = run_backtest(_history(), course, running)
    trial.standings()
    assert decide(trial).intervals is not None  # what bands held is told by kernels of its own


PARTS: dict[str, Callable[[], None]] = {
    **{name: _of_family(name) for name in FAMILIES},
    "histories": _histories,
    "diagnosis": _diagnosis,
    "backtests": _backtests,
}


def _history() -> History:
    """Five years of months: a smooth item with a season and gaps, one that sells now and then, one with a jump."""
    rng, t = np.random.default_rng(7), np.arange(MONTHS)
    smooth = np.round(100 + 0.4 * t + 20 * np.sin(2 * np.pi * t / 12) + rng.normal(0, 5, MONTHS))
    smooth[[9, 20, 38]] = np.nan
    rare = np.where(rng.random(MONTHS) < 0.3, rng.integers(1, 9, MONTHS), 0.0)
    jump = np.where(t < 40, smooth, 2 * smooth)
    table = {"period": pd.period_range("2019-01", periods=MONTHS, freq="M").astype(str)}
    wide = pd.DataFrame(table | {"smooth": smooth, "rare": rare, "jump": jump})
    long = wide.melt("period", var_name="item", value_name="demand")
    return History.from_frame(long, item="item", period="period", demand="demand", cadence="monthly", absent="unknown")


if __name__ == "__main__":
    warm_up(sys.argv[1])
