"""Views: a function per picture that planners look at. Each takes values and returns a Matplotlib figure.

Every view takes ``since=`` and ``until=`` (the span shown), ``scale=(low, high)``, ``title=`` and ``ax=`` (a Matplotlib
axes to draw into) where these mean something for it; `save` writes PNG, SVG or PDF.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from veridex.figures.against import driver
    from veridex.figures.ahead import forecast, total
    from veridex.figures.effects import campaign
    from veridex.figures.intervals import coverage
    from veridex.figures.misses import residuals
    from veridex.figures.model import contributions, fit
    from veridex.figures.origins import folds, holdout, rolling
    from veridex.figures.page import look
    from veridex.figures.past import history, over_years
    from veridex.figures.ranks import lead_times, standings, tuning, volume
    from veridex.figures.rivals import contenders
    from veridex.figures.seasonal import seasons
    from veridex.figures.split import parts
    from veridex.figures.style import save
    from veridex.figures.together import side_by_side
    from veridex.figures.tracked import record
    from veridex.figures.unit_root import stationarity
    from veridex.figures.watched import control, watch

# Where each view lives. A command that draws nothing loads nothing that draws.
_HOMES = {
    "campaign": "effects",
    "contenders": "rivals",
    "contributions": "model",
    "control": "watched",
    "coverage": "intervals",
    "driver": "against",
    "fit": "model",
    "folds": "origins",
    "forecast": "ahead",
    "history": "past",
    "holdout": "origins",
    "lead_times": "ranks",
    "look": "page",
    "over_years": "past",
    "parts": "split",
    "record": "tracked",
    "residuals": "misses",
    "rolling": "origins",
    "save": "style",
    "seasons": "seasonal",
    "side_by_side": "together",
    "standings": "ranks",
    "stationarity": "unit_root",
    "total": "ahead",
    "tuning": "ranks",
    "volume": "ranks",
    "watch": "watched",
}

__all__ = [
    "campaign",
    "contenders",
    "contributions",
    "control",
    "coverage",
    "driver",
    "fit",
    "folds",
    "forecast",
    "history",
    "holdout",
    "lead_times",
    "look",
    "over_years",
    "parts",
    "record",
    "residuals",
    "rolling",
    "save",
    "seasons",
    "side_by_side",
    "standings",
    "stationarity",
    "total",
    "tuning",
    "volume",
    "watch",
]


def __getattr__(name: str) -> Any:
    if name not in _HOMES:
        raise AttributeError(f"module 'veridex.figures' has no attribute {name!r}")
    value = getattr(import_module(f"veridex.figures.{_HOMES[name]}"), name)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return __all__
