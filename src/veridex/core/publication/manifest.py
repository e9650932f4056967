"""The manifest: from what data, with what versions, methods, coefficients and scheme a publication was made."""

import hashlib
import math
import platform
from collections.abc import Sequence
from dataclasses import asdict, is_dataclass
from datetime import UTC, datetime
from importlib.metadata import version
from typing import Any

import numpy as np

from veridex.core.history.drivers import Drivers
from veridex.core.history.history import History
from veridex.core.methods.fitted import Fitted
from veridex.core.preparation.regressors import Explaining
from veridex.core.verdict.single import Choice
from veridex.core.verdict.verdict import Verdict

__all__ = ["FORMAT", "explained_by", "fingerprint", "item_entry", "manifest_head"]

FORMAT = "veridex publication 1"


def fingerprint(history: History) -> str:
    """SHA-256 of a history: cadence, cycle, items, periods and values, to the bit."""
    digest = hashlib.sha256()
    head = (history.cadence.name, history.cycle_length, history.names)
    digest.update(repr(head).encode())
    for array in (
        history.starts,
        history.offsets,
        np.where(np.isnan(history.actuals), np.nan, history.actuals),
        np.where(np.isnan(history.values), np.nan, history.values),
    ):
        digest.update(np.ascontiguousarray(array).tobytes())
    return digest.hexdigest()


def manifest_head(history: History, verdict: Verdict | None, horizon: int, levels: tuple[float, ...]) -> dict[str, Any]:
    """Everything but the items."""
    text = history.cadence.text
    ends = history.starts + np.diff(history.offsets) - 1
    return {
        "format": FORMAT,
        "created": datetime.now(UTC).isoformat(timespec="seconds"),
        "versions": {
            "veridex": version("veridex-demand"),
            "python": platform.python_version(),
            **{name: version(name) for name in ("numpy", "scipy", "numba", "pandas")},
        },
        "data": {
            "fingerprint": fingerprint(history),
            "cadence": history.cadence.name,
            "cycle_length": history.cycle_length,
            "unit": history.unit,
            "first": text(int(history.starts.min())),
            "last": text(int(ends.max())),
            "notes": list(history.notes),
            "tidying": None if history.rules is None else history.rules.in_words(),
        },
        "horizon": horizon,
        "levels": list(levels),
        "intervals": "model: they hold what each method's own formula holds, see docs/methods.md",
        "backtest": None if verdict is None else _backtest(verdict),
    }


def _backtest(verdict: Verdict) -> dict[str, Any]:
    trial = verdict.trial
    return {
        "rule": verdict.rule,
        "scheme": trial.scheme.in_words(),
        "settings": asdict(trial.scheme) if is_dataclass(trial.scheme) else {},
        "lineup": [entered.text for entered in trial.lineup],
        "notes": list(trial.notes),
        "standings": [_clean(row) for row in trial.standings().to_dict("records")],
    }


def explained_by(explaining: Explaining, scenarios: Sequence[Drivers]) -> dict[str, Any]:
    """Drivers, events and scenarios; nothing where there are none."""
    found: dict[str, Any] = {}
    if explaining.drivers is not None:
        found["drivers"] = {
            "names": list(explaining.drivers.names),
            "known_ahead": list(explaining.drivers.known_ahead),
            "observed_only": "forecast by smoothing, their uncertainty in the intervals by simulation",
            "scenarios": [one.name for one in scenarios],
        }
    if explaining.events is not None:
        found["events"] = list(explaining.events.names)
    return found


def item_entry(
    fitted: Fitted | None, choice: Choice | None, tested_levels: tuple[float, ...], why: str, reason: str
) -> dict[str, Any]:
    """What is written down about one item; coverage is that of the levels that were tested."""
    entry: dict[str, Any] = {"method": fitted.method.text if fitted else None, "why": why, "reason": reason}
    if fitted is not None and fitted.available:
        coefficients = fitted.coefficients[["name", "value", "std_error"]].to_dict("records")
        entry |= {
            "settings": _clean(fitted.method.settings),
            "in_words": fitted.in_words(),
            "coefficients": [_clean(row) for row in coefficients],
            "variance": _plain(fitted.variance),
            "log_likelihood": _plain(fitted.log_likelihood),
            "aicc": _plain(fitted.aicc),
        }
    if choice is not None and choice.winner is not None:
        shares = zip(tested_levels, choice.winner.coverage, strict=True)
        coverage = {f"{level:g}": _plain(share) for level, share in shares}
        entry["scores"] = _clean(
            {
                "measure": choice.evidence.measure,
                "error": choice.winner.error,
                "benchmark": choice.benchmark.method if choice.benchmark else None,
                "benchmark_error": choice.benchmark.error if choice.benchmark else None,
                "gain": choice.gain,
                "origins": choice.evidence.origins,
                "coverage": coverage,
            }
        )
    return entry


def _clean(row: dict[Any, Any]) -> dict[str, Any]:
    return {str(key): _plain(value) for key, value in row.items()}


def _plain(value: Any) -> Any:
    """What JSON can hold: NaN and infinities are null."""
    if isinstance(value, np.generic):
        value = value.item()
    if isinstance(value, list):
        return [_plain(part) for part in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value
