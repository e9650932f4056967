"""A campaign without a control group: what it added, from what came before it only."""

from collections.abc import Sequence
from dataclasses import replace

import pandas as pd

from veridex.core.backtest.engine import Engine
from veridex.core.history.drivers import Drivers
from veridex.core.history.events import Events
from veridex.core.history.history import History, as_history
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method, methods
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.campaigning import Campaign, held_against
from veridex.errors import ParameterError
from veridex.job.desk import HERE, Desk
from veridex.job.engines import engine_of
from veridex.job.expecting import expected
from veridex.job.requests import Campaigning, Testing

__all__ = ["campaign", "campaign_effect"]

MOST_ORIGINS = 60
"""Origins of the backtest at most, so that there are earlier spans to tell chance by."""

FEWEST = 24
"""Periods before the first origin at least, where the history has them."""


def campaign(
    history: History | ItemHistory,
    *,
    begins: object,
    ends: object = None,
    items: Sequence[str] = (),
    controls: Sequence[str] = (),
    level: float = 95.0,
    lineup: Sequence[str | Method] | None = None,
    drivers: Drivers | None = None,
    events: Events | None = None,
    engine: str | Engine = "serial",
) -> Campaign:
    """What a campaign added to demand where nobody was left out of it.

    Each item is tested, decided and forecast from what came before the campaign only; what came in it is held against
    the calibrated law of that, period by period and in total, whose law holds how errors go together [1]_. How much is
    "added" by nothing is told by earlier spans of the same length: their forecasts, as made before them, are those of
    the backtest.

    Parameters
    ----------
    history : History or ItemHistory
        With the campaign in it.
    begins, ends : str or stamp
        Its first and last period; by default it ends with the history.
    items : sequence of str
        Those that it touched; by default all but the controls. Others are tested too: they tell of chance.
    controls : sequence of str
        Items that it did not touch and that move as the others do: their demand, known afterwards, is a driver of the
        others. One that was touched after all hides what was added.
    level : float
        Of the intervals, in percent.
    lineup : sequence of str or Method, optional
        As in `backtest`.
    drivers, events : optional
        As in `publish`: those known ahead count as recorded in the campaign too, those only observed are forecast.
    engine : {"serial", "processes"} or Engine

    Returns
    -------
    Campaign
        `frame`, `total`, `placebo`; `in_words()`.

    Raises
    ------
    ParameterError, ItemUnknown
        If there is nothing before the campaign or in it, an item is unknown, or drivers and controls are both stated.

    References
    ----------
    .. [1] Box and Tiao (1976), Journal of the Royal Statistical Society C 25, 195-200 (forecast and actuality).
    """
    many = as_history(history)
    cadence = many.cadence
    asked = Campaigning(
        begins=cadence.iso_of(cadence.period(begins)),
        ends=None if ends is None else cadence.iso_of(cadence.period(ends)),
        touched=tuple(items),
        controls=tuple(controls),
        level=level,
    )
    testing = Testing(methods=tuple(one.text for one in methods(lineup)) if lineup else ())
    return campaign_effect(many, asked, testing, Explanation(drivers, events), HERE, engine_of(engine))


def campaign_effect(
    history: History,
    asked: Campaigning,
    testing: Testing,
    explaining: Explanation,
    desk: Desk,
    engine: Engine | None = None,
) -> Campaign:
    """Test and publish from what came before a campaign, and hold what came in it against that."""
    cadence = history.cadence
    first = cadence.period(asked.begins)
    ends = max(one.start + len(one) - 1 for one in history)
    last = ends if asked.ends is None else cadence.period(asked.ends)
    if not first <= last <= ends:
        problem = f"it goes from {cadence.text(first)} to {cadence.text(last)}, the history until {cadence.text(ends)}"
        raise ParameterError("ends", repr(asked.ends), problem)
    known = [one for one in history if one.item not in asked.controls and one.start < first <= one.start + len(one) - 1]
    touched = [history[item].item for item in asked.touched] or [one.item for one in known]
    lost = [item for item in touched if item not in [one.item for one in known]]
    if lost or not touched:
        problem = f"{', '.join(lost) or 'no item'}: known both before it and in it, and no control, is what it takes"
        raise ParameterError("begins", cadence.text(first), problem)
    explaining = _with_controls(explaining, history, asked.controls)
    before = History.of([one.until(cadence.starts(first - 1)) for one in known], notes=history.notes)
    steps = last - first + 1
    longest = max(len(one) for one in before)
    origins = max(min(longest - steps - min(FEWEST, longest // 2), MOST_ORIGINS), 1)
    testing = replace(testing, origins=testing.origins or origins)
    several = ("all",) if len(touched) > 1 and history.measure.adds_up else ()
    own = History.of([before[item] for item in touched], notes=history.notes)
    outcome = expected(before, own, steps, asked.level, testing, explaining, desk, engine, several)
    assert outcome.verdict is not None
    return held_against(outcome.publication, outcome.verdict, history, asked.controls)


def _with_controls(explaining: Explanation, history: History, controls: Sequence[str]) -> Explanation:
    """The demand of controls as drivers of the others."""
    if not controls:
        return explaining
    if explaining.drivers is not None:
        problem = "drivers are stated too; put the controls' demand among them, as columns known ahead"
        raise ParameterError("controls", repr(tuple(controls)), problem)
    columns = [pd.Series(history[item].actuals, index=history[item].periods, name=item) for item in controls]
    frame = pd.concat(columns, axis=1).rename_axis("period").reset_index()
    drivers = Drivers.from_frame(frame, cadence=history.cadence, columns=list(controls), known_ahead="all")
    return replace(explaining, drivers=drivers)
