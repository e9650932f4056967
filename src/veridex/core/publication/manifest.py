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

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Bands, Wanted
from veridex.core.calibration.crossfit import KINDS, Crossfit
from veridex.core.fitted.fitted import Fitted
from veridex.core.history.drivers import Drivers
from veridex.core.history.history import History
from veridex.core.methods.method import Method
from veridex.core.preparation.regressors import Explaining
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.verdict import Verdict

__all__ = [
    "FORMAT",
    "explained_by",
    "fingerprint",
    "fit_entry",
    "interval_entry",
    "manifest_head",
    "score_entry",
]

FORMAT = "veridex publication 3"


INTERVALS = {
    "model": "what each method's own formula holds, see docs/methods.md",
    "conformal": "quantiles of the backtest's errors in standard errors, drawn towards those of the other items",
    "average": "the mean of both, the model's stretched to what other items showed; the model's alone where untested",
    "held": "cross-fitted: each origin's bounds come from the errors at the others",
    "widths": "they shrink with neither lead time nor level",
}


def fingerprint(history: History) -> str:
    """SHA-256 of a history: cadence, season, items, periods and values, to the bit."""
    digest = hashlib.sha256()
    head = (history.cadence.name, history.season_length, history.names)
    digest.update(repr(head).encode())
    for array in (
        history.starts,
        history.offsets,
        np.where(np.isnan(history.actuals), np.nan, history.actuals),
        np.where(np.isnan(history.values), np.nan, history.values),
    ):
        digest.update(np.ascontiguousarray(array).tobytes())
    return digest.hexdigest()


def manifest_head(history: History, verdict: Verdict | None, horizon: int, wanted: Wanted) -> dict[str, Any]:
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
            "season_length": history.season_length,
            "unit": history.unit,
            "first": text(int(history.starts.min())),
            "last": text(int(ends.max())),
            "notes": list(history.notes),
            "tidying": None if history.rules is None else history.rules.in_words(),
        },
        "horizon": horizon,
        "levels": list(wanted.levels),
        "quantiles": list(wanted.quantiles),
        "intervals": wanted.kind or "average of model and conformal bounds from 12 origins on, else model",
        "intervals_in_words": INTERVALS,
        "backtest": None if verdict is None else _backtest(verdict),
    }


def _backtest(verdict: Verdict) -> dict[str, Any]:
    trial = verdict.trial
    return {
        "rule": verdict.rule,
        "conditions": verdict.conditions.in_words(),
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


def fit_entry(fitted: Fitted) -> dict[str, Any]:
    """What is written down about a refit."""
    if not fitted.available:
        return {}
    found = fitted.estimates
    assert found is not None
    estimates = zip(found.names, found.values.tolist(), found.errors.tolist(), strict=True)
    return {
        "settings": _clean(dict(fitted.method.settings)),
        "form": fitted.account.form if fitted.account is not None else "",
        "in_words": fitted.in_words(),
        "coefficients": [
            {"name": name, "value": _plain(value), "std_error": _plain(error)} for name, value, error in estimates
        ],
        "variance": _plain(fitted.variance),
        "log_likelihood": _plain(fitted.log_likelihood),
        "aicc": _plain(fitted.aicc),
    }


def interval_entry(
    bands: Bands, levels: tuple[float, ...], crossfit: Crossfit | None, peers: FloatArray | None
) -> dict[str, Any]:
    """Which intervals are published at each level, and what each kind held when it was tested."""
    entry: dict[str, Any] = {f"{level:g}": kind for level, kind in zip(levels, bands.kinds, strict=True)}
    span = [bands.tested[0], bands.tested[-1]] if bands.tested else None
    found: dict[str, Any] = {"intervals": {"published": entry, "calibrated_steps": span}}
    if crossfit is not None:
        found["intervals"]["held"] = {kind: [_clean(row) for row in crossfit.held(kind, peers)] for kind in KINDS}
    return found


def score_entry(choice: Choice | None, kind: str | None, peers: FloatArray | None) -> dict[str, Any]:
    """What a verdict knows of an item; coverage is that of the published kind, at the levels that were tested."""
    if choice is None or choice.winner is None:
        return {}
    entry: dict[str, Any] = {"route": choice.route}
    if choice.override is not None:
        entry["override"] = {"reason": choice.override.reason, "instead_of": _plain(choice.override.instead_of)}
    if choice.crossfit is None:
        return entry
    winner, single, crossfit = choice.winner, choice.best_single, choice.crossfit
    published = kind or crossfit.default_kind
    coverage = {f"{row['level']:g}": _plain(row["coverage"]) for row in crossfit.held(published, peers)}
    entry["scores"] = _clean(
        {
            "measure": choice.evidence.measure,
            "error": winner.error,
            "benchmark": choice.benchmark.method.text if choice.benchmark else None,
            "benchmark_error": choice.benchmark.error if choice.benchmark else None,
            "value_added": choice.value_added,
            "origins": choice.evidence.origins,
            "coverage": coverage,
            "coverage_of": published,
            "best_single": single.method.text if single else None,
            "best_single_error": single.error if single else None,
            "cross_error": choice.cross_error,
            "bias": winner.bias,
            "unmet": list(choice.unmet),
        }
    )
    return entry


def _clean(row: dict[Any, Any]) -> dict[str, Any]:
    return {str(key): _plain(value) for key, value in row.items()}


def _plain(value: Any) -> Any:
    """What JSON can hold: NaN and infinities are null."""
    if isinstance(value, np.generic):
        value = value.item()
    if isinstance(value, Method):
        return value.text
    if isinstance(value, (list, tuple)):
        return [_plain(part) for part in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value
