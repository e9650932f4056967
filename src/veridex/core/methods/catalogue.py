"""The catalogue: every method by its name, and text turned into methods."""

from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache
from typing import Any

import numpy as np

from veridex.core.methods.arima.family import Arima
from veridex.core.methods.fold.family import Family
from veridex.core.methods.fold.settings import Setting, driver_settings, settled
from veridex.core.methods.grammar import Spelled, parse
from veridex.core.methods.group_season import GroupSeason
from veridex.core.methods.intermittent import Croston, SyntetosBoylan, TeunterSyntetosBabai
from veridex.core.methods.made_of.adjusted import Adjusted
from veridex.core.methods.made_of.combination import Combination
from veridex.core.methods.made_of.members import FamilyOfMethods
from veridex.core.methods.made_of.transformed import TRANSFORM, Transformed
from veridex.core.methods.made_of.tuned import TunedFamily
from veridex.core.methods.method import Method
from veridex.core.methods.naive.averages import LastChange, MovingAverage, SeasonalMean
from veridex.core.methods.naive.benchmarks import Drift, Mean, Naive, SeasonalNaive
from veridex.core.methods.regression.bending_trend import BendingTrend
from veridex.core.methods.regression.driver_regression import DriverRegression
from veridex.core.methods.regression.harmonic import Harmonic
from veridex.core.methods.regression.trends import LinearTrend, PolyTrend, TrendSeason
from veridex.core.methods.smoothing.chosen import Smoothing
from veridex.core.methods.smoothing.named import Holt, HoltWinters, SimpleSmoothing
from veridex.core.methods.theta import Theta
from veridex.errors import MethodUnknown, ParameterError, SettingError, SettingUnknown

__all__ = ["FAMILIES", "Method", "benchmarks", "method", "method_of", "methods", "settings_of"]

FAMILIES: tuple[Family[Any], ...] = (
    Mean(),
    Naive(),
    SeasonalNaive(),
    Drift(),
    LastChange(),
    SeasonalMean(),
    MovingAverage(),
    SimpleSmoothing(),
    Holt(),
    HoltWinters(),
    Smoothing(),
    Theta(),
    Croston(),
    SyntetosBoylan(),
    TeunterSyntetosBabai(),
    Arima(),
    LinearTrend(),
    PolyTrend(),
    TrendSeason(),
    Harmonic(),
    DriverRegression(),
    BendingTrend(),
    GroupSeason(),
    Combination(),
    TunedFamily(),
)


BY_NAME = {family.name: family for family in FAMILIES}


def method(text: "str | Method | Spelled") -> Method:
    """Turn a method's text into the method.

    Raises
    ------
    MethodUnknown, SettingUnknown, SettingError, ParameterError
        If the name is not in the catalogue, a setting is unknown or not allowed, or this is no method's text.

    Examples
    --------
    >>> method("arima q=1  d=1 p=1 criterion=aicc").text
    'arima p=1 d=1 q=1'
    """
    if isinstance(text, Method):
        return text
    spelled = parse(text) if isinstance(text, str) else text
    if not isinstance(spelled, Spelled):
        raise ParameterError("method", repr(text), "write it as in 'theta' or 'holt damped=yes'")
    said = tuple((key, type(value), value) for key, value in spelled.settings.items())
    try:
        return _known(spelled.name, said)  # publications name the same few members a thousand times
    except TypeError:  # a list of members
        return method_of(spelled.name, spelled.settings)


@lru_cache(maxsize=4096)
def _known(name: str, said: tuple[tuple[str, type, Any], ...]) -> Method:
    return method_of(name, {key: value for key, _, value in said})


def method_of(name: str, stated: Mapping[str, Any]) -> Method:
    """A method by its name and the settings stated, in canonical form.

    Raises
    ------
    MethodUnknown, SettingUnknown, SettingError
    """
    family = BY_NAME.get(name)
    if family is None:
        raise MethodUnknown(name, tuple(BY_NAME))
    known = {setting.key: setting for setting in settings_of(family)}
    given = {key: _plain(value) for key, value in stated.items() if value is not None}
    for key, value in given.items():
        if key not in known:
            raise SettingUnknown(name, key, tuple(known))
        if key == "of" and isinstance(value, tuple):
            given[key] = tuple(one if isinstance(one, (int, float)) else method(one) for one in value)
        known[key].checked(name, given[key])
    family.check(_stated(known, given))
    given = family.canonical(given)
    settings = settled(known.values()) | given
    stated_ones = {key: value for key, value in settings.items() if value is not None}
    if settings["transform"] != "box-cox" and settings["power"] is not None:
        raise SettingError(name, "power= goes with transform=box-cox")
    canonical = tuple(
        (key, settings[key])
        for key, setting in known.items()
        if settings[key] is not None and (setting.spelled or settings[key] != setting.default)
    )
    does = family.for_settings(stated_ones)
    if not isinstance(does, FamilyOfMethods):
        does = Adjusted(does)
    if settings["transform"] != "none":
        does = Transformed(does)
    return Method(name, canonical, family=does, settings=settings)


def settings_of(family: Family[Any]) -> tuple[Setting, ...]:
    """Every setting of a family: its own, what it makes of drivers, and those of all."""
    handed = family.takes_drivers or isinstance(family, FamilyOfMethods)
    return (*family.settings, *(() if handed else driver_settings(family.drivers)), *TRANSFORM)


def _stated(known: Mapping[str, Setting], given: Mapping[str, Any]) -> dict[str, Any]:
    """Every setting that holds something, defaults included."""
    return {key: value for key, value in (settled(known.values()) | dict(given)).items() if value is not None}


def _plain(value: Any) -> Any:
    """Lists as tuples; whole numbers as such, however they were written, so that 1 and 1.0 are one spelling."""
    if isinstance(value, (list, tuple)):
        return tuple(_plain(one) for one in value)
    if isinstance(value, np.generic):
        value = value.item()
    return int(value) if isinstance(value, float) and value.is_integer() and abs(value) < 1e15 else value


def methods(lineup: "str | Method | Sequence[str | Method]") -> tuple[Method, ...]:
    """Turn a lineup into methods, refusing an empty one and doubles."""
    several = isinstance(lineup, Iterable) and not isinstance(lineup, str)
    entered = tuple(method(text) for text in (lineup if several else (lineup,)))  # type: ignore[union-attr, arg-type]
    if not entered:
        raise ParameterError("lineup", "[]", "enter at least one method")
    twice = next((one for one in entered if entered.count(one) > 1), None)
    if twice is not None:
        raise ParameterError("lineup", repr(twice.text), "this method is entered twice")
    return entered


def benchmarks(season_length: int) -> tuple[Method, ...]:
    """The methods that must be beaten: the first that an item supports counts."""
    return methods(("seasonal-naive", "naive") if season_length > 1 else ("naive",))
