"""Control: what a period's figures should have been, from what came before it only."""

from collections.abc import Sequence

from veridex.core.backtest.engine import Engine
from veridex.core.history.drivers import Drivers
from veridex.core.history.events import Events
from veridex.core.history.history import History, as_history
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method, methods
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.controlling import Control, controlled
from veridex.errors import ParameterError
from veridex.job.desk import HERE, Desk
from veridex.job.engines import engine_of
from veridex.job.expecting import expected
from veridex.job.requests import Controlling, Testing

__all__ = ["control", "control_figures"]

AHEAD = 1
"""Lead times: what came before ends with the period before."""


def control(
    history: History | ItemHistory,
    *,
    period: object,
    tolerance: float = 10.0,
    level: float = 95.0,
    lineup: Sequence[str | Method] | None = None,
    drivers: Drivers | None = None,
    events: Events | None = None,
    engine: str | Engine = "serial",
) -> Control:
    """What a period's figures should have been, for one figure or a whole sheet of accounts.

    Each item is tested, decided and forecast one period ahead from what came before the period; the figures, as they
    were read, are held against the calibrated law of that. Outside its band and further off than the tolerance, the
    likeliest causes are named: another period's figure, swapped or mistyped digits, a factor of ten, a changed sign,
    twice or half the amount, or a real change.

    Parameters
    ----------
    history : History or ItemHistory
        With the figures in it; what comes after the period serves to find mixed-up periods only.
    period : str or stamp
        Whose figures; a number where periods are counted.
    tolerance : float
        Percent of what was expected, up to which nobody asks.
    level : float
        Of the band, in percent: of figures that are right the rest lies outside.
    lineup : sequence of str or Method, optional
        As in `backtest`.
    drivers, events : optional
        As in `publish`.
    engine : {"serial", "processes"} or Engine

    Returns
    -------
    Control
        `frame`, the most unexpected first; `unexpected`, those to look into; `why(item)`; `in_words()`.

    Raises
    ------
    ParameterError
        If no item has a figure in the period and a history before it, or the tolerance is below zero.
    """
    many = as_history(history)
    asked = Controlling(at=many.cadence.iso_of(many.cadence.period(period)), tolerance=tolerance, level=level)
    testing = Testing(methods=tuple(one.text for one in methods(lineup)) if lineup else ())
    return control_figures(many, asked, testing, Explanation(drivers, events), HERE, engine_of(engine))


def control_figures(
    history: History,
    asked: Controlling,
    testing: Testing,
    explaining: Explanation,
    desk: Desk,
    engine: Engine | None = None,
) -> Control:
    """Test and publish one period ahead from what came before the period, and hold its figures against that.

    Raises
    ------
    ParameterError
        If no item has a figure in the period and a history before it.
    """
    cadence = history.cadence
    ordinal = cadence.period(asked.at)
    older = [one for one in history if one.start < ordinal < one.start + len(one)]
    if not older:
        problem = f"no item has a figure in it and a history before it, which goes until {_last(history)}"
        raise ParameterError("period", cadence.text(ordinal), problem)
    before = History.of([one.until(cadence.starts(ordinal - 1)) for one in older], notes=history.notes)
    made = expected(before, before, AHEAD, asked.level, testing, explaining, desk, engine).publication
    return controlled(made, history, ordinal, asked.tolerance)


def _last(history: History) -> str:
    return history.cadence.text(max(one.start + len(one) - 1 for one in history))
