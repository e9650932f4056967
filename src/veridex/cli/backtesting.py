"""What `backtest` runs and shows: standings, scores by lead time and other groups, figures."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import pandas as pd

from veridex import figures
from veridex.cli.desk import desk_for
from veridex.cli.tables import show
from veridex.core.backtest.lineup import Place, default_lineup
from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.methods.catalogue import methods
from veridex.job.drawing import draw_items, draw_named
from veridex.job.placing import for_trial
from veridex.job.reading import brought
from veridex.job.requests import Driving, Happening, Placing, Reading, Ruling, Scoring, Testing
from veridex.job.testing import backtested

if TYPE_CHECKING:
    from matplotlib.figure import Figure

__all__ = ["run_backtest"]

SHOWN = ("rank", "method", "n", "mase", "value_added", "mae", "rmse", "mape", "me", "parameters")
"""Columns of the standings that people see, besides coverage, significance and time; CSV and JSON have all."""

LEGEND = {
    "n": "n: cells that every method forecast.",
    "me": "me: actual - forecast; above zero means that forecasts were too low.",
    "value_added": "value_added: percent less {measure} than the benchmark.",
    "versus_first": "versus_first: at 5 %.",
}
"""What columns of the standings hold."""

Scope = Literal["training", "holdout", "pooled", "both"]
SCORES = ("n", "mase", "rmsse", "mae", "rmse", "mape", "wape", "bias", "relative_mae", "theils_u")
STEPS = (1, 2, 3, 6, 12)
"""Lead times that people see, and multiples of the last."""

LEADING = 5
"""Methods whose error by lead time people see."""


def run_backtest(
    reading: Reading,
    driving: Driving,
    happening: Happening,
    testing: Testing,
    ruling: Ruling,
    scoring: Scoring,
    placing: Placing,
) -> None:
    """Roll the origin, and show how the methods rank."""
    desk = desk_for(placing)
    place = for_trial(placing.to)
    history, told = brought(reading, ruling, driving, happening, desk)
    if scoring.show_lineup:
        show(lineup_table(history, testing.methods, driven=told.given), placing, title="Lineup")
        return
    with place.held():
        trial = backtested(history, testing, told, desk, opened=place.opened)
        for note in trial.notes:
            desk.say(note)
        show_part(trial, scoring, placing)
        place(trial, desk)
    if placing.figures is not None:
        desk.say(draw_trial(trial, scoring.measure, placing.figures))


def lineup_table(history: History, lineup: tuple[str, ...], *, driven: bool) -> pd.DataFrame:
    """The methods that would be entered, why, whether a default rule decides among them, and what each needs."""
    own = tuple(Place(one, "you named it") for one in methods(lineup)) if lineup else ()
    places = own or default_lineup(history, driven=driven)
    return pd.DataFrame(
        {
            "method": [place.method.text for place in places],
            "reason": [place.reason for place in places],
            "decides": ["yes" if place.decides else "" for place in places],
            "needs": [place.method.needs(history.season_length) for place in places],
        }
    )


def show_part(trial: Trial, scoring: Scoring, placing: Placing) -> None:
    """Print the part of a trial that was asked for; groups ask for the scores."""
    part = "scores" if scoring.by else scoring.part
    if part == "standings":
        show_standings(trial, scoring.measure, placing)
    elif part == "scores":
        show_scores(trial, scoring.by or ("method",), scoring.scope, placing)
    else:
        table = {"errors": trial.errors, "folds": trial.folds, "models": trial.models}[part]
        show(table, placing, title=f"{part.capitalize()}, {trial.scheme.in_words()}", cadence=trial.history.cadence)


def show_scores(trial: Trial, by: tuple[str, ...], scope: Scope, placing: Placing) -> None:
    """Print the measures by groups."""
    table = trial.scores(by=by, scope=scope)
    coverage = [name for name in table.columns if name.startswith("coverage_")]
    kept = (*by, "scope", *SCORES, *coverage, *_told(table), "foresight")
    hidden = tuple(name for name in table.columns if name not in kept)
    show(table, placing, title=f"Scores by {', '.join(by)}", hide=hidden, cadence=trial.history.cadence)


def show_standings(trial: Trial, measure: str, placing: Placing) -> None:
    """Print the standings, and the error by lead time."""
    table = trial.standings(measure)
    if placing.form == "table":
        # Only people see times: what goes into files is the same bytes twice.
        table = table.merge(trial.timings[["method", "ms_per_fold"]], on="method")
    coverage = [name for name in table.columns if name.startswith("coverage_")]
    kept = (*SHOWN, measure, f"training_{measure}", *coverage, "versus_first", "ms_per_fold", *_told(table))
    hidden = tuple(name for name in table.columns if name not in (*kept, "foresight"))
    title = f"Standings by {measure}, {trial.scheme.in_words()}"
    legend = {name: said.format(measure=measure) for name, said in LEGEND.items()}
    ranked = ("rank", "method", measure, "value_added", "me", *coverage, "mape", "n", f"training_{measure}", *SHOWN)
    show(table, placing, title=title, hide=hidden, ranked=ranked, legend=legend)
    if placing.form == "table" and trial.horizon > 1:
        show(_by_step(trial, table["method"].tolist(), measure), placing, title=f"{measure} by lead time")


def _told(table: pd.DataFrame) -> tuple[str, ...]:
    """The column of reasons, where there are any."""
    return ("reason",) if table.get("reason", pd.Series(dtype=str)).ne("").any() else ()


def _by_step(trial: Trial, ranked: list[str], measure: str) -> pd.DataFrame:
    """The leading methods and the benchmark as rows, lead times as columns."""
    shown = list(dict.fromkeys([*ranked[:LEADING], trial.benchmarks[0].text]))
    table = trial.scores(by=["method", "step"], common=True)
    wide = table.pivot_table(index="method", columns="step", values=measure, dropna=False)
    steps = _telling([int(step) for step in wide.columns])
    wide = wide.loc[[text for text in shown if text in wide.index]][steps]
    wide.columns = [str(step) for step in steps]
    return wide.reset_index()


def _telling(steps: list[int]) -> list[int]:
    """The lead times that a table shows: the first ones, then ever fewer, and the last."""
    return [step for step in steps if step in STEPS or step % STEPS[-1] == 0 or step == steps[-1]]


def draw_trial(trial: Trial, measure: str, directory: Path) -> str:
    """Draw each item's contenders and how the best method did; standings, errors by lead time, coverage, folds."""
    best = str(trial.standings(measure, brief=True)["method"].iloc[0])
    first = getattr(trial.scheme, "gap", 0) + 1
    kinds: dict[str, Callable[[str], Figure]] = {
        "contenders": lambda one: figures.contenders(trial, one, measure=measure),
        "holdout": lambda one: figures.holdout(trial, one, best),
    }
    if len(trial.history) == 1:
        kinds["rolling"] = lambda one: figures.rolling(trial, one, best, step=first)
    said = draw_items(directory, trial.history, kinds)
    named = {
        "backtest-standings": lambda: figures.standings(trial, measure),
        "backtest-lead-times": lambda: figures.lead_times(trial, measure),
        "backtest-coverage": lambda: figures.coverage(trial),
        "backtest-folds": lambda: figures.folds(trial),
    }
    return f"{said} {draw_named(directory, named)}"
