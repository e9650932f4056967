"""The public functions that join the core with the outer rooms."""

from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

from veridex.core.backtest.comparison import Comparison, compare
from veridex.core.backtest.engine import Engine, Progress
from veridex.core.backtest.lineup import entered_by_default
from veridex.core.backtest.pace import Pace
from veridex.core.backtest.runner import Course, run_backtest
from veridex.core.backtest.scheme_words import as_scheme
from veridex.core.backtest.schemes import Scheme
from veridex.core.backtest.store import MemoryStore
from veridex.core.backtest.trial import Trial
from veridex.core.backtest.tuning import Tuning, tune_method
from veridex.core.fitted.fitted import Fitted
from veridex.core.fitted.fitted import fit as fit_method
from veridex.core.history.drivers import Drivers
from veridex.core.history.events import Events
from veridex.core.history.history import History, as_history
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.methods.catalogue import Method, methods
from veridex.core.methods.catalogue import method as as_method
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.publication import Publication
from veridex.core.publication.shelf import MemoryShelf
from veridex.core.reading.neighbours import lent_now
from veridex.core.scoring.levels import DEFAULT_LEVELS, checked_levels
from veridex.core.verdict.verdict import Verdict
from veridex.core.verdict.verdict import decide as decide_by_core
from veridex.errors import ParameterError
from veridex.exchange.stores import PartsDirectory
from veridex.job.desk import HERE
from veridex.job.engines import engine_by_name, engine_of, running
from veridex.job.pipeline import edition, released, rows_ahead
from veridex.job.placing import for_publication, for_trial
from veridex.job.shelving import on_disk
from veridex.job.testing import prepare_to_test

__all__ = ["backtest", "compare_fits", "decide", "fit", "publish", "tune"]

decide = engine_by_name(decide_by_core)


def backtest(
    history: History | ItemHistory,
    lineup: Sequence[str | Method] | None = None,
    scheme: Scheme | str | None = None,
    *,
    levels: Sequence[float] | float = DEFAULT_LEVELS,
    engine: str | Engine = "serial",
    progress: Progress | None = None,
    drivers: Drivers | None = None,
    events: Events | None = None,
    foresight: str = "none",
    search_every: int = 12,
    refit_every: int = 1,
    onto: Trial | None = None,
    checkpoint: str | Path | None = None,
    keep: str = "all",
    to: str | Path | None = None,
) -> Trial:
    """Roll the origin: fit on the past only, forecast, compare with what came, move on.

    Parameters
    ----------
    history : History or ItemHistory
    lineup : sequence of str or Method, optional
        The methods entered; by default about a dozen, as the season allows. The benchmarks are always
        entered: `seasonal-naive` where there is a season, and `naive`.
    scheme : RollingOrigin, Holdout or str
        As a value, or as its text: ``"rolling horizon=12 origins=24"``.
    levels : sequence of float
        Interval levels in percent.
    engine : {"serial", "processes"} or Engine
        Who does the work: this process, or one on each core. Both give the same bits.
    progress : callable, optional
        Called with items done and items in all.
    drivers, events : optional
        What may explain demand, for the methods that take drivers. Those known ahead enter with their recorded values;
        those only observed are forecast at each origin.
    foresight : {"none", "perfect"}
        ``"perfect"`` takes recorded values of observed-only drivers instead, which nobody knew; every table says so.
    search_every, refit_every : int
        Forms, orders and powers are searched at every so many origins and kept in between; coefficients are estimated
        at every so many and carried over to the newer values in between.
    onto : Trial, optional
        Add methods or items to this trial, with the same drivers: what it holds of unchanged items is taken over.
    checkpoint : str or Path, optional
        A directory that keeps finished items, so that a killed backtest resumes where it was.
    keep : {"all", "scores"}
        With ``"scores"`` bounds are kept in single precision and standard errors not at all: half the memory, the same
        scores to seven digits.
    to : str or Path, optional
        Where the trial is written, as `vx.write` does. A directory is filled item by item: no more is in memory than is
        worked on, a killed backtest goes on where it was, and the trial that comes back reads items as they are asked
        for.

    Returns
    -------
    Trial
        A fold that cannot be fitted is NaN with its reason; it stops neither its item nor the others.

    Raises
    ------
    MethodUnknown, SettingError, ParameterError, HistoryTooShort
        If the lineup, the levels or the engine are wrong, or no item is long enough for the scheme.
    DestinationRefused
        If the trial cannot be kept there.
    """
    many = as_history(history)
    explaining = Explanation(drivers, events, foresight)
    entered = entered_by_default(many, driven=explaining.given) if lineup is None else methods(lineup)
    if keep not in ("all", "scores"):
        raise ParameterError("keep", repr(keep), "say 'all' or 'scores'")
    course = Course(
        lineup=entered,
        scheme=as_scheme(scheme),
        levels=checked_levels(levels),
        explaining=explaining,
        pace=Pace(search_every=search_every, refit_every=refit_every),
        keep=keep,
    )
    worker = engine_of(engine)
    kept, place = None if checkpoint is None else PartsDirectory(checkpoint), for_trial([] if to is None else [to])
    prepare_to_test(many, course, HERE)
    who = running(HERE, worker, progress, kept, place.opened or MemoryStore.opened)
    with place.held():
        trial = run_backtest(many, course, who, onto)
        place(trial, HERE)
    return trial


def fit(
    series: History | ItemHistory,
    method: str | Method,
    *,
    drivers: Drivers | None = None,
    events: Events | None = None,
    foresight: str = "none",
    among: History | None = None,
) -> Fitted:
    """Fit a method to one series.

    Parameters
    ----------
    series : ItemHistory or History of one item
    method : str or Method
        As in the catalogue, ``"holt-winters season=additive"``.
    drivers : Drivers, optional
        What may explain demand, for a method that takes drivers.
    events : Events, optional
    foresight : {"none", "perfect"}
        Where forecasts take the future of observed-only drivers from: a forecast of their own, or what was recorded.
    among : History, optional
        The history that the series is from, with its neighbours, for a method that borrows their season.

    Returns
    -------
    Fitted
        Where the method cannot be fitted to this series, its `reason` says why and its numbers are NaN.

    Raises
    ------
    MethodUnknown, SettingError, ParameterError
        If the method's text is wrong, several items were passed, or the method takes no drivers.

    Examples
    --------
    >>> history = History.from_numbers([3, 5, 4, 6], cadence="counted")
    >>> fit(history, "mean").forecast(1, levels=(80,)).frame.round(2)
       period  step  lower_80  forecast  upper_80  std_error reason
    0       5     1       2.0       4.5       8.0       1.44
    """
    chosen, one = as_method(method), only_item(series)
    lent = None if among is None else lent_now(among, chosen.borrows).get(one.item)
    clock = HERE.seconds
    return fit_method(one, chosen, drivers=drivers, events=events, foresight=foresight, clock=clock, borrowed=lent)


def tune(
    history: History | ItemHistory,
    method: str | Method,
    grid: Mapping[str, Iterable[Any]],
    scheme: Scheme | str | None = None,
    *,
    measure: str = "mae",
    engine: str | Engine = "serial",
    drivers: Drivers | None = None,
    events: Events | None = None,
) -> Tuning:
    """Try settings of a method inside folds, one setting for all items.

    Parameters
    ----------
    history : History or ItemHistory
    method : str or Method
        What the settings are added to.
    grid : mapping of str to sequence
        Settings and the values to try; every combination is.
    scheme : RollingOrigin, Holdout or str
        As a value, or as its text: ``"rolling horizon=12 origins=24"``.
    measure : {"mae", "mse", "rmse", "mape", "smape", "wape", "mase", "rmsse"}
    engine, drivers, events : optional
        As in `backtest`.

    Returns
    -------
    Tuning
        `frame`, the curve with its standard error; `best` and `simplest` settings; `nested`, what tuning really saved;
        `in_words()`.

    Raises
    ------
    MethodUnknown, SettingError, ParameterError, HistoryTooShort

    Examples
    --------
    >>> numbers = [2.0, 4.0, 9.0] * 8
    >>> from veridex import RollingOrigin
    >>> grid, scheme = {"window": [2, 3]}, RollingOrigin(horizon=1, origins=6)
    >>> tune(History.from_numbers(numbers, cadence="counted"), "moving-average", grid, scheme).best
    {'window': 3}
    """
    many = as_history(history)
    return tune_method(
        many, method, grid, as_scheme(scheme), measure, running(HERE, engine_of(engine)), Explanation(drivers, events)
    )


def compare_fits(
    series: History | ItemHistory,
    lineup: Sequence[str | Method],
    scheme: Scheme | str | None = None,
    *,
    drivers: Drivers | None = None,
    events: Events | None = None,
    foresight: str = "none",
) -> Comparison:
    """Put rival models of one series side by side.

    Parameters
    ----------
    series : ItemHistory or History of one item
    lineup : sequence of str or Method
    scheme : RollingOrigin, Holdout or str, optional
        How to measure holdout errors; without it there are none.
    drivers, events, foresight : optional
        As in `backtest`.

    Returns
    -------
    Comparison
        `coefficients` with a column per model; `models` with criteria (only where they compare, and why not), training
        and holdout errors, time; `alarms` where a model overfits; `in_words()`.

    Raises
    ------
    MethodUnknown, SettingError, ParameterError, HistoryTooShort
    """
    explaining, measured = Explanation(drivers, events, foresight), None if scheme is None else as_scheme(scheme)
    return compare(only_item(series), lineup, measured, explaining, running(HERE, engine_of("serial")))


def publish(
    history: History | ItemHistory,
    verdict: Verdict | None = None,
    *,
    method: str | Method | None = None,
    horizon: int | str = 12,
    levels: Sequence[float] | float = DEFAULT_LEVELS,
    quantiles: Sequence[float] | float = (),
    drivers: Drivers | None = None,
    events: Events | None = None,
    scenarios: Sequence[Drivers] = (),
    intervals: str | None = None,
    totals_from: int = 1,
    groups: Sequence[str] = (),
    past: int | str = "all",
    engine: str | Engine = "serial",
    progress: Progress | None = None,
    to: str | Path | Sequence[str | Path] | None = None,
) -> Publication:
    """Refit each item's method on its whole history and forecast.

    Parameters
    ----------
    history : History or ItemHistory
    verdict : Verdict, optional
        From `decide`: each item gets its winner.
    method : str or Method, optional
        The planner's own choice for all items instead of a verdict; the publication then says that nothing
        was backtested.
    horizon : int or str
        Lead times, or the last period (``"2026-12"``); those beyond the tested ones are marked.
    levels : sequence of float
        Interval levels in percent.
    engine : {"serial", "processes"} or Engine
        Who does the work: this process, or one on each core. Both give the same bits.
    drivers, events : optional
        For the methods that take drivers; those known ahead must reach the horizon.
    scenarios : sequence of Drivers
        Other futures of the same drivers, each with a name (`Drivers.scenario`): further forecasts beside the first.
    intervals : {"model", "calibrated"}, optional
        The method's own law, or that law read off at what has held each probability in the backtest. By default
        calibrated where there is a backtest.
    totals_from : int
        The lead time that totals begin with: with 3 the total of step 5 is the demand of lead times 3 to 5, as a
        delivery in two periods and a review of three ask for.
    quantiles : sequence of float
        One-sided quantiles in percent, as a service level asks for: 97.5 is the upper bound of the 95 % interval.
    groups : sequence of str
        Also totals over groups of items: ``"all"``, or key columns of the history.
    past : int or "all"
        How many periods of history go with the forecast.
    progress : callable, optional
        Called with items done and items in all.
    to : str, Path or several, optional
        Where the publication is written, as `vx.write` does. It is made part by part, of which no more are in memory
        than are worked on, and so is the publication that comes back.

    Raises
    ------
    DestinationRefused
        If it cannot be kept there.
    ParameterError, MethodUnknown, SettingError, ItemUnknown
        If neither or both of verdict and method are given, or the verdict lacks an item of the history.
    TrialUnlike
        If the verdict's trial was made on other demand than this, or under other rules.
    """
    many = as_history(history)
    if verdict is not None and not isinstance(verdict, Verdict):
        raise ParameterError("verdict", repr(verdict), "pass a verdict, or a method by name: method='theta'")
    if (verdict is None) == (method is None):
        raise ParameterError("verdict", repr(verdict), "pass either a verdict or a method")
    explaining = Explanation(drivers, events)
    words: dict[str, Any] = {"horizon": horizon, "past": past, "levels": levels, "quantiles": quantiles}
    words |= {"intervals": intervals, "totals_from": totals_from, "groups": groups}
    asked = edition(words, explaining, HERE, tested=verdict is not None, scenarios=scenarios)
    source = verdict if verdict is not None else methods([method] if method is not None else [])[0]
    place = for_publication([] if to is None else [to] if isinstance(to, (str, Path)) else list(to))
    place.refuse_too_many(rows_ahead(many, asked.ahead, len(scenarios)))
    opened = MemoryShelf if to is None else on_disk(source, asked)
    made = released(many, source, asked, engine_of(engine), opened, progress)
    place(made, HERE)
    return made
