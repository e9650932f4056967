"""What `publish` is asked for, and how it is made."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from veridex.cli.jobs import backtest_with_progress, draw, engine_for, read_numbers
from veridex.core.backtest.schemes import RollingOrigin
from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.methods.grammar import split_lineup
from veridex.core.preparation.regressors import Explaining
from veridex.core.publication.making import Ahead
from veridex.core.publication.publication import Publication
from veridex.core.verdict.verdict import Verdict, decide
from veridex.errors import ParameterError
from veridex.exchange.forms.trials import read_trial
from veridex.figures.coverage import draw_coverage
from veridex.figures.forecast import draw_forecast
from veridex.figures.style import save
from veridex.front import publish

__all__ = ["Asked", "Made", "Source", "draw_published", "made"]

YEAR_DIGITS = 4


@dataclass(frozen=True, slots=True)
class Source:
    """What is published from: the planner's own method, a trial in a file, or the default backtest; and the rule."""

    method: str | None
    trial: Path | None
    rule: str
    allowed: str | None
    target: str | None
    overrides: tuple[str, ...]
    origins: int


@dataclass(frozen=True, slots=True)
class Asked:
    """What is published, as on the command line."""

    horizon: str
    levels: str
    intervals: str | None
    quantiles: str | None
    groups: str | None
    past: str

    def words(self, history: History) -> dict[str, Any]:
        """For `veridex.publish`; a number is a count of periods, but four digits of a yearly history are a year."""
        a_year = history.cadence.name.startswith("yearly") and len(self.horizon) == YEAR_DIGITS
        return {
            "horizon": int(self.horizon) if self.horizon.isdecimal() and not a_year else self.horizon,
            "levels": read_numbers("levels", self.levels),
            "intervals": self.intervals,
            "quantiles": read_numbers("quantiles", self.quantiles),
            "groups": [part.strip() for part in self.groups.split(",")] if self.groups else [],
            "past": int(self.past) if self.past.isdecimal() else self.past,
        }


@dataclass(frozen=True, slots=True)
class Made:
    """A publication, the verdict behind it, and what was done."""

    publication: Publication
    verdict: Verdict | None
    notes: tuple[str, ...]


def made(history: History, source: Source, asked: Asked, explaining: Explaining) -> Made:
    """Publish by the planner's own method, or by the verdict of a trial; and say which."""
    given: dict[str, Any] = {"drivers": explaining.drivers, "events": explaining.events, "engine": engine_for(history)}
    words = asked.words(history)
    if source.method is not None:
        note = f"Published by your choice, {source.method}; nothing was backtested, so its error is not known."
        return Made(publish(history, method=source.method, **words, **given), None, (note,))
    trial, note = _trial(history, source, asked, explaining)
    allowed = None if source.allowed is None else split_lineup(source.allowed)
    verdict = decide(trial, source.rule, allowed=allowed, target=source.target)
    for text in source.overrides:
        parts = [part.strip() for part in text.split(":", 2)]
        if len(parts) < 3:
            raise ParameterError("override", repr(text), "write 'ITEM: METHOD: REASON'")
        verdict = verdict.override(*parts)
    return Made(publish(history, verdict, **words, **given), verdict, (note, *trial.notes))


def _trial(history: History, source: Source, asked: Asked, explaining: Explaining) -> tuple[Trial, str]:
    """The trial that is named, or the default one."""
    if source.trial is not None:
        trial = read_trial(source.trial)
        return trial, f"Published from {source.trial} ({trial.scheme.in_words()}; {len(trial.lineup)} methods)."
    ahead = Ahead(asked.words(history)["horizon"])
    scheme = RollingOrigin(horizon=max(1, *(ahead.steps(series) for series in history)), origins=source.origins)
    trial = backtest_with_progress(history, None, scheme, asked.levels, explaining)
    return trial, f"No trial was named: ran the default backtest ({scheme.in_words()}; {len(trial.lineup)} methods)."


def draw_published(found: Made, history: History, directory: Path) -> str:
    """Draw each item's forecast, and what the intervals held when tested."""
    said = draw(directory, history, "forecast", lambda one: draw_forecast(found.publication, one))
    if found.verdict is None or found.verdict.intervals.empty:
        return said
    save(draw_coverage(found.verdict), directory / "coverage.png")
    return f"{said} Also coverage.png."
