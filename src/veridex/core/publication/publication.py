"""`Publication`, and how it is made: refit on the whole history, forecast, write down from what and how."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.backtest.engine import Engine
from veridex.core.history.drivers import Drivers
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method
from veridex.core.methods.catalogue import method as as_method
from veridex.core.methods.fitted import Fitted, fit
from veridex.core.methods.forecast import Forecast
from veridex.core.methods.levels import bound_columns
from veridex.core.preparation.regressors import Explaining
from veridex.core.publication.manifest import explained_by, item_entry, manifest_head
from veridex.core.tidying.ledger import ledger
from veridex.core.verdict.verdict import Verdict

__all__ = ["Publication", "make_publication"]


EMPTY = History.from_numbers([0.0], cadence="monthly", start="2000-01")


@dataclass(frozen=True, eq=False, kw_only=True)
class Publication:
    """The published forecasts.

    Attributes
    ----------
    frame : DataFrame
        item, period, kind (``actual`` or ``forecast``), step, value, stderr, the bounds of each level, method,
        tested (whether the lead time was backtested), reason, scenario (empty for the drivers themselves). History
        first, as it was read, then the forecasts, per item, those of each scenario after them.
    manifest : dict
        From what data, with what versions, methods, coefficients and scheme, and how good.
    ledger : DataFrame
        Every repair of the history and every finding in it: item, period, what, before, after, why.
    """

    frame: pd.DataFrame = field(repr=False)
    manifest: dict[str, Any] = field(repr=False)
    ledger: pd.DataFrame = field(repr=False, default_factory=lambda: ledger(EMPTY))

    def __repr__(self) -> str:
        head = self.manifest
        return f"Publication({len(head['items'])} items, {head['data']['cadence']}, {head['horizon']} ahead)"

    @property
    def items(self) -> tuple[str, ...]:
        """The items published."""
        return tuple(self.manifest["items"])

    @property
    def forecasts(self) -> pd.DataFrame:
        """The rows that look ahead."""
        return self.frame[self.frame["kind"] == "forecast"].reset_index(drop=True)


def make_publication(
    history: History,
    source: Verdict | Method,
    horizon: int,
    levels: tuple[float, ...],
    engine: Engine,
    explaining: Explaining | None = None,
    scenarios: Sequence[Drivers] = (),
) -> Publication:
    """Refit on the whole history and forecast; see `veridex.publish`, the public face."""
    chosen = [_method_of(source, series.item) for series in history]
    levels_tested = source.trial.levels if isinstance(source, Verdict) else ()
    tasks = list(zip(history, chosen, strict=True))
    explaining = explaining or Explaining()
    work = partial(_refit, horizon=horizon, levels=levels, explaining=explaining, scenarios=tuple(scenarios))
    made = list(engine.map(work, tasks))
    frames, entries = [], {}
    for (series, _), (fitted, forecast, others) in zip(tasks, made, strict=True):
        choice = source.choice(series.item) if isinstance(source, Verdict) else None
        why = source.why(series.item) if isinstance(source, Verdict) else "The planner's own choice; not backtested."
        reason = source.reason(series.item) if isinstance(source, Verdict) else ""
        reason = reason or (forecast.reason if forecast else "")
        tested = choice.evidence.furthest if choice is not None and choice.winner is not None else 0
        frame = _item_frame(series, fitted, forecast, horizon, levels, tested, reason)
        frames.append(frame)
        for scenario, other in zip(scenarios, others, strict=False):
            ahead = _item_frame(series, fitted, other, horizon, levels, tested, other.reason)
            frames.append(ahead[ahead["kind"] == "forecast"].assign(scenario=scenario.name))
        entries[series.item] = item_entry(fitted, choice, levels_tested, why, reason)
    manifest = manifest_head(history, source if isinstance(source, Verdict) else None, horizon, levels)
    manifest |= explained_by(explaining, scenarios)
    frame = pd.concat(frames, ignore_index=True)
    return Publication(frame=frame, manifest=manifest | {"items": entries}, ledger=ledger(history))


def _method_of(source: Verdict | Method, item: str) -> Method | None:
    if isinstance(source, Method):
        return source
    winner = source.choice(item).winner
    return None if winner is None else as_method(winner.method)


def _refit(
    task: tuple[ItemHistory, Method | None],
    *,
    horizon: int,
    levels: tuple[float, ...],
    explaining: Explaining,
    scenarios: tuple[Drivers, ...],
) -> tuple[Fitted | None, Forecast | None, list[Forecast]]:
    series, chosen = task
    if chosen is None:
        return None, None, []
    if not chosen.family.takes_drivers:
        fitted = fit(series, chosen)
        return fitted, fitted.forecast(horizon, levels), []
    fitted = fit(series, chosen, explaining.drivers, explaining.events)
    others = [] if fitted.regressors is None or fitted.regressors.drivers is None else scenarios
    forecasts = [fitted.forecast(horizon, levels, drivers=one) for one in others]
    return fitted, fitted.forecast(horizon, levels), forecasts


def _item_frame(
    series: ItemHistory,
    fitted: Fitted | None,
    forecast: Forecast | None,
    horizon: int,
    levels: tuple[float, ...],
    tested: int,
    reason: str,
) -> pd.DataFrame:
    """History and forecast of one item, one under the other."""
    n = len(series)
    nothing = np.full(horizon, np.nan)
    past, steps = np.full(n, np.nan), np.arange(1, horizon + 1)

    def whole(ahead: Any) -> Any:
        return np.concatenate((past, ahead))

    columns: dict[str, Any] = {
        "item": series.item,
        "period": series.cadence.starts(np.arange(series.start, series.start + n + horizon)),
        "kind": ["actual"] * n + ["forecast"] * horizon,
        "step": pd.Series([pd.NA] * n + steps.tolist(), dtype="Int64"),
        "value": np.concatenate((series.actuals, forecast.points if forecast else nothing)),
        "stderr": whole(forecast.stderr if forecast else nothing),
    }
    bounds = [
        whole(side[j]) if forecast else whole(nothing)
        for j in range(len(levels))
        for side in ((forecast.lower, forecast.upper) if forecast else (nothing, nothing))
    ]
    columns |= dict(zip(bound_columns(levels), bounds, strict=True))
    columns["method"] = [None] * n + [fitted.method.text if fitted else None] * horizon
    columns["tested"] = pd.Series([pd.NA] * n + (steps <= tested).tolist(), dtype="boolean")
    columns["reason"] = [""] * n + [reason] * horizon
    columns["scenario"] = ""
    return pd.DataFrame(columns)
