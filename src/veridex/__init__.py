"""Veridex: demand history in, a published forecast out, with intervals whose coverage was measured."""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from veridex.core.backtest.comparison import Comparison
    from veridex.core.backtest.scheme_words import scheme
    from veridex.core.backtest.schemes import Holdout, RollingOrigin
    from veridex.core.backtest.trial import Trial
    from veridex.core.backtest.tuning import Tuned, Tuning
    from veridex.core.diagnosis.audit import Audit
    from veridex.core.diagnosis.breaks import Breaks, breaks
    from veridex.core.diagnosis.correlogram import Correlogram, correlogram
    from veridex.core.diagnosis.decomposition import Decomposition, Decompositions, decompose
    from veridex.core.diagnosis.differencing import Advice, differencing
    from veridex.core.diagnosis.seasons import Seasons, seasons
    from veridex.core.diagnosis.stationarity import Stationarity, stationarity
    from veridex.core.fitted.fitted import Fitted
    from veridex.core.fitted.forecast import Forecast
    from veridex.core.history.drivers import Drivers
    from veridex.core.history.events import Events
    from veridex.core.history.history import History
    from veridex.core.history.item import ItemHistory
    from veridex.core.periods.cadence import Cadence
    from veridex.core.publication.campaigning import Campaign
    from veridex.core.publication.controlling import Control
    from veridex.core.publication.publication import Publication
    from veridex.core.publication.record.record import TrackRecord, track_record
    from veridex.core.publication.reproducing import Reproduced
    from veridex.core.publication.watch.watch import Watch, watch
    from veridex.core.tidying.driver_rules import TidiedDrivers, profile_drivers, tidy_drivers
    from veridex.core.tidying.profile import profile
    from veridex.core.tidying.tidy import Tidied, tidy
    from veridex.core.verdict.verdict import Verdict
    from veridex.errors import VeridexError
    from veridex.exchange.calendars import read_holidays, working_days
    from veridex.exchange.explaining import read_drivers, read_events
    from veridex.exchange.forms.fitted import read_fitted
    from veridex.exchange.keeping import read_publication, read_publications, read_trial
    from veridex.exchange.reading import read_history
    from veridex.exchange.writing import write
    from veridex.front import backtest, compare_fits, decide, fit, publish, tune
    from veridex.job.campaign import campaign
    from veridex.job.control import control
    from veridex.job.reproduce import reproduce
    from veridex.onepage.page import board
    from veridex.plan.run import PlanRun
    from veridex.plan.running import run_plan

# Where each public name lives. Nothing is imported before it is used: `import veridex` costs no more than this.
_HOMES = {
    "Advice": "core.diagnosis.differencing",
    "Audit": "core.diagnosis.audit",
    "Breaks": "core.diagnosis.breaks",
    "Cadence": "core.periods.cadence",
    "Comparison": "core.backtest.comparison",
    "Correlogram": "core.diagnosis.correlogram",
    "Decomposition": "core.diagnosis.decomposition",
    "Decompositions": "core.diagnosis.decomposition",
    "Drivers": "core.history.drivers",
    "Events": "core.history.events",
    "Fitted": "core.fitted.fitted",
    "Forecast": "core.fitted.forecast",
    "History": "core.history.history",
    "Holdout": "core.backtest.schemes",
    "ItemHistory": "core.history.item",
    "PlanRun": "plan.run",
    "Publication": "core.publication.publication",
    "Reproduced": "core.publication.reproducing",
    "RollingOrigin": "core.backtest.schemes",
    "Seasons": "core.diagnosis.seasons",
    "Stationarity": "core.diagnosis.stationarity",
    "Tidied": "core.tidying.tidy",
    "TidiedDrivers": "core.tidying.driver_rules",
    "TrackRecord": "core.publication.record.record",
    "Trial": "core.backtest.trial",
    "Tuned": "core.backtest.tuning",
    "Tuning": "core.backtest.tuning",
    "Verdict": "core.verdict.verdict",
    "Campaign": "core.publication.campaigning",
    "Control": "core.publication.controlling",
    "Watch": "core.publication.watch.watch",
    "VeridexError": "errors",
    "backtest": "front",
    "board": "onepage.page",
    "breaks": "core.diagnosis.breaks",
    "compare_fits": "front",
    "campaign": "job.campaign",
    "control": "job.control",
    "correlogram": "core.diagnosis.correlogram",
    "decide": "front",
    "decompose": "core.diagnosis.decomposition",
    "differencing": "core.diagnosis.differencing",
    "fit": "front",
    "profile": "core.tidying.profile",
    "profile_drivers": "core.tidying.driver_rules",
    "publish": "front",
    "read_drivers": "exchange.explaining",
    "read_events": "exchange.explaining",
    "read_history": "exchange.reading",
    "read_holidays": "exchange.calendars",
    "read_fitted": "exchange.forms.fitted",
    "read_publication": "exchange.keeping",
    "read_publications": "exchange.keeping",
    "read_trial": "exchange.keeping",
    "reproduce": "job.reproduce",
    "run_plan": "plan.running",
    "scheme": "core.backtest.scheme_words",
    "seasons": "core.diagnosis.seasons",
    "stationarity": "core.diagnosis.stationarity",
    "tidy": "core.tidying.tidy",
    "tidy_drivers": "core.tidying.driver_rules",
    "track_record": "core.publication.record.record",
    "tune": "front",
    "watch": "core.publication.watch.watch",
    "working_days": "exchange.calendars",
    "write": "exchange.writing",
}

_ROOMS = ("errors", "figures")
"""Rooms that are public as a whole."""

__version__ = "0.1.0"
__all__ = [
    "Advice",
    "Audit",
    "Breaks",
    "Cadence",
    "Campaign",
    "Comparison",
    "Control",
    "Correlogram",
    "Decomposition",
    "Decompositions",
    "Drivers",
    "Events",
    "Fitted",
    "Forecast",
    "History",
    "Holdout",
    "ItemHistory",
    "PlanRun",
    "Publication",
    "Reproduced",
    "RollingOrigin",
    "Seasons",
    "Stationarity",
    "Tidied",
    "TidiedDrivers",
    "TrackRecord",
    "Trial",
    "Tuned",
    "Tuning",
    "Verdict",
    "VeridexError",
    "Watch",
    "backtest",
    "board",
    "breaks",
    "campaign",
    "compare_fits",
    "control",
    "correlogram",
    "decide",
    "decompose",
    "differencing",
    "fit",
    "profile",
    "profile_drivers",
    "publish",
    "read_drivers",
    "read_events",
    "read_fitted",
    "read_history",
    "read_holidays",
    "read_publication",
    "read_publications",
    "read_trial",
    "reproduce",
    "run_plan",
    "scheme",
    "seasons",
    "stationarity",
    "tidy",
    "tidy_drivers",
    "track_record",
    "tune",
    "watch",
    "working_days",
    "write",
]


def __getattr__(name: str) -> Any:
    if name in _ROOMS:
        return import_module(f"veridex.{name}")
    if name not in _HOMES:
        raise AttributeError(f"module 'veridex' has no attribute {name!r}")
    value = getattr(import_module(f"veridex.{_HOMES[name]}"), name)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return __all__
