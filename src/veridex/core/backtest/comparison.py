"""Rival models of one series side by side: estimates, criteria where they compare, training against holdout errors."""

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import ClassVar

import numpy as np
import pandas as pd

from veridex.core.backtest.rivalry import overfit_alarms
from veridex.core.backtest.runner import Course, Running, run_backtest
from veridex.core.backtest.schemes import Scheme
from veridex.core.backtest.trial import Trial
from veridex.core.fitted.fitted import Fitted, fit
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method, methods
from veridex.core.methods.fold.criteria import CRITERIA
from veridex.core.notebook import Faced
from veridex.core.preparation.regressors import Explanation
from veridex.core.readable import number

__all__ = ["Comparison", "compare"]

ERRORS = ("rmse", "mae", "mase")


@dataclass(frozen=True, eq=False, kw_only=True)
class Comparison(Faced):
    """Rival models of one series.

    Attributes
    ----------
    fits : tuple of Fitted
        On the whole series, in the order entered.
    trial : Trial or None
        Their backtest; None where no scheme was given.
    notes : tuple of str
        How drivers were treated, and which models take none.
    """

    FACE: ClassVar[tuple[str, ...]] = (
        "in_words",
        "models",
    )

    fits: tuple[Fitted, ...]
    trial: Trial | None = field(default=None, repr=False)
    notes: tuple[str, ...] = ()

    @cached_property
    def coefficients(self) -> pd.DataFrame:
        """A row per coefficient, a column per model: its value, NaN where the model has none of that name."""
        columns = {one.method.text: one.coefficients.set_index("name")["value"] for one in self.fits}
        names = list(dict.fromkeys(name for values in columns.values() for name in values.index))
        table = {text: [float(values.get(name, np.nan)) for name in names] for text, values in columns.items()}
        return pd.DataFrame({"name": names, **table})

    @cached_property
    def models(self) -> pd.DataFrame:
        """A row per model: method, n, parameters, criteria, why those do not compare, errors, milliseconds.

        Criteria stand where the likelihood is of the same values as most others'; `not_comparable` says why it is not.
        Training errors are of one step inside the training spans, holdout errors of all lead times, both from the
        backtest and on the origins and cells that every model has; without one the training errors are of the fit.
        """
        against = self._common_sample
        rows = []
        for one in self.fits:
            why = _why_not(one, against)
            figures = one.summary
            row: dict[str, object] = {"method": one.method.text, "n": one.n, "parameters": one.parameters}
            row |= {name: figures[name] if not why else np.nan for name in ("log_likelihood", *CRITERIA)}
            row["not_comparable"] = one.reason if not one.available else why
            row |= {f"training_{name}": figures[name] for name in ERRORS[:2]} if self.trial is None else {}
            row["milliseconds"] = figures["milliseconds"]
            rows.append(row)
        table = pd.DataFrame(rows)
        if self.trial is not None:
            for scope in ("training", "holdout"):
                scores = self._scores(scope).set_index("method")
                for name in ERRORS:
                    table[f"{scope}_{name}"] = table["method"].map(scores[name])
            table["milliseconds"] = table.pop("milliseconds")
        return table

    def _scores(self, scope: str) -> pd.DataFrame:
        assert self.trial is not None
        if scope == "holdout":
            return self.trial.scores(by="method", common=True)
        return self.trial.scores(by="method", scope="training")

    @property
    def _common_sample(self) -> tuple[int, str]:
        """What most likelihoods are of: how many values, and how those were made."""
        samples = Counter(_sample(one) for one in self.fits if np.isfinite(one.log_likelihood))
        return samples.most_common(1)[0][0] if samples else (0, "")

    @cached_property
    def alarms(self) -> tuple[str, ...]:
        """Where a model fits the training spans better than a simpler one and forecasts the holdout worse."""
        if self.trial is None:
            return ()
        return overfit_alarms(self.models)

    def in_words(self) -> str:
        """Which model the criteria prefer, which the holdout, what does not compare, the alarms, the notes."""
        said = []
        table = self.models
        if table["aicc"].notna().sum() > 1:
            said.append(f"By AICc {table.sort_values('aicc', kind='stable')['method'].iloc[0]} is preferred.")
        if self.trial is not None and table["holdout_rmse"].notna().any():
            best = table.sort_values("holdout_rmse", kind="stable").iloc[0]
            error, how = number(float(best["holdout_rmse"])), self.trial.scheme.in_words()
            said.append(f"On the holdout ({how}) {best['method']} errs least, by {error} (RMSE).")
        said += [
            f"The criteria of {row['method']} do not compare: {row['not_comparable']}."
            for row in table.to_dict("records")
            if row["not_comparable"]
        ]
        return " ".join([*said, *self.alarms, *self.notes])


def compare(
    series: ItemHistory,
    lineup: Sequence[str | Method],
    scheme: Scheme | None,
    explaining: Explanation,
    running: Running,
) -> Comparison:
    """Fit rival models, and backtest them where a scheme is given; see `veridex.compare_fits`, the public face."""
    entered = methods(lineup)
    fits = tuple(_fit(series, one, explaining, running.clock) for one in entered)
    notes = explaining.notes([one.text for one in entered if one.alone])
    if scheme is None:
        return Comparison(fits=fits, notes=notes)
    course = Course(lineup=entered, scheme=scheme, explaining=explaining)
    trial = run_backtest(History.of([series]), course, running)
    return Comparison(fits=fits, trial=trial, notes=notes)


def _fit(series: ItemHistory, method: Method, explaining: Explanation, clock: Callable[[], float]) -> Fitted:
    """Fit with drivers and events, or without where the method takes none."""
    if method.alone:
        return fit(series, method, clock=clock)
    given = (explaining.drivers, explaining.events, explaining.foresight)
    return fit(series, method, drivers=given[0], events=given[1], foresight=given[2], clock=clock)


def _sample(one: Fitted) -> tuple[int, str]:
    return one.n, one.likelihood_of


def _why_not(one: Fitted, against: tuple[int, str]) -> str:
    """Why the criteria of a model do not compare with the others'; empty where they do."""
    if not np.isfinite(one.log_likelihood):
        return "it has no likelihood"
    own = _sample(one)
    if own == against:
        return ""
    return f"its likelihood is of {own[0]} {own[1]}, most others' of {against[0]} {against[1]}"
