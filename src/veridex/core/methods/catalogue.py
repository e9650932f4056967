"""The catalogue: every method by its name, and text turned into methods."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from veridex.core.methods.arima import Arima
from veridex.core.methods.averages import LastChange, MovingAverage, SeasonalMean
from veridex.core.methods.bending_trend import BendingTrend
from veridex.core.methods.combination import Combination
from veridex.core.methods.contract import Family
from veridex.core.methods.driver_regression import DriverRegression
from veridex.core.methods.grammar import parse, written
from veridex.core.methods.intermittent import Croston, SyntetosBoylan, TeunterSyntetosBabai
from veridex.core.methods.naive import Drift, Mean, Naive, SeasonalNaive
from veridex.core.methods.settings import settled
from veridex.core.methods.smoothing import Holt, HoltWinters, SimpleSmoothing
from veridex.core.methods.smoothing_chosen import Smoothing
from veridex.core.methods.theta import Theta
from veridex.core.methods.transformed import TRANSFORM, Transformed
from veridex.core.methods.trends import Harmonic, LinearTrend, PolyTrend, TrendSeason
from veridex.core.methods.tuned import TunedFamily
from veridex.errors import MethodUnknown, ParameterError, SettingError, SettingUnknown

__all__ = ["FAMILIES", "Method", "default_lineup", "method", "methods"]

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
    Combination(lambda text: method(text)),
    TunedFamily(lambda text: method(text)),
)


@dataclass(frozen=True, slots=True)
class Method:
    """A method of the catalogue with its settings.

    Attributes
    ----------
    text : str
        As it was written; two methods are the same when their texts are.
    family : Family
    settings : dict
        Every setting of the family, defaults filled in.
    """

    text: str
    family: Family[Any] = field(repr=False, compare=False)
    settings: dict[str, Any] = field(repr=False, compare=False)

    def __str__(self) -> str:
        return self.text

    @property
    def driven(self) -> bool:
        """Whether it is handed drivers and events where there are some."""
        return self.family.takes_drivers and self.settings.get("drivers") != "none"

    def __reduce__(self) -> tuple[Any, ...]:
        """On its way to another process a method is its text."""
        return (method, (self.text,))


def method(text: "str | Method") -> Method:
    """Turn a method's text into the method.

    Raises
    ------
    MethodUnknown, SettingError
        If the name is not in the catalogue, or a setting is unknown or not allowed.

    Examples
    --------
    >>> method("arima p=1  d=1 q=1").text
    'arima p=1 d=1 q=1'
    """
    if isinstance(text, Method):
        return text
    name, given = parse(text)
    family = next((family for family in FAMILIES if family.name == name), None)
    if family is None:
        raise MethodUnknown(name, tuple(family.name for family in FAMILIES))
    known = {setting.key: setting for setting in (*family.settings, *TRANSFORM)}
    settings = settled(known.values())
    for key, value in given.items():
        if key not in known:
            raise SettingUnknown(name, key, tuple(known))
        settings[key] = known[key].checked(name, value)
    stated = {key: value for key, value in settings.items() if value is not None}
    family.check(stated)
    family = family.for_settings(stated)
    if settings["transform"] != "box-cox" and settings["power"] is not None:
        raise SettingError(name, "power= goes with transform=box-cox")
    if settings["transform"] != "none":
        family = Transformed(family)
    return Method(written(name, given), family, settings)


def methods(lineup: "Sequence[str | Method]") -> tuple[Method, ...]:
    """Turn a lineup into methods, refusing an empty one and doubles."""
    entered = tuple(method(text) for text in ([lineup] if isinstance(lineup, str) else lineup))
    if not entered:
        raise ParameterError("lineup", "[]", "enter at least one method")
    texts = [one.text for one in entered]
    twice = next((text for text in texts if texts.count(text) > 1), None)
    if twice is not None:
        raise ParameterError("lineup", repr(twice), "this method is entered twice")
    return entered


PLAIN = ("naive", "drift", "simple-smoothing", "holt damped=yes", "theta", "smoothing", "arima", "sba")
SEASONAL = (
    "seasonal-naive",
    "holt-winters season=additive",
    "holt-winters season=additive damped=yes",
    "holt-winters season=multiplicative damped=yes",
    "trend-season",
)


def default_lineup(season_length: int) -> tuple[Method, ...]:
    """The methods entered when none are named: a dozen of the catalogue, as the season allows.

    Chosen for skill per second on real series: benchmarks, the smoothing forms that forecast best, the searched ones,
    a regression that planners know, and one for items with many periods of nothing.
    """
    return methods((SEASONAL[0], *PLAIN, *SEASONAL[1:]) if season_length > 1 else PLAIN)
