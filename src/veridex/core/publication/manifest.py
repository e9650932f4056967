"""The manifest: what a publication says of itself, as plain values that JSON can hold, and back."""

import math
from collections.abc import Iterable, Mapping
from dataclasses import asdict, fields
from typing import Any

import numpy as np

from veridex.core.calibration.bands import Wanted
from veridex.core.calibration.held import Held
from veridex.core.calibration.totals import Totals
from veridex.core.history.measure import Measure
from veridex.core.laws.support import Support
from veridex.core.methods.method import Method
from veridex.core.periods.cadence import Cadence
from veridex.core.publication.dossier import (
    Caution,
    Estimate,
    FitRecord,
    GroupTotals,
    ItemPublication,
    MemberRecord,
    Overridden,
    Scores,
)
from veridex.core.publication.head import Demand, Grouped, Head, Made, Planned

__all__ = ["FORMAT", "evidence_of", "head_entry", "head_of", "item_entry", "manifest", "plain"]

FORMAT = "veridex publication 10"

BY_EVIDENCE = "calibrated where there is a backtest, else model"

INTERVALS = {
    "model": "what each method's own formula holds, see docs/methods.md",
    "calibrated": "the method's law, read off at what held each probability in the backtest, mostly on other items",
    "held": "each origin's are calibrated by what was known at it, of the item and of others",
    "totals": "their spread holds how errors at lead times went together; calibrated by past totals",
}


def manifest(head: Head, items: Iterable[ItemPublication], groups: Iterable[GroupTotals]) -> dict[str, Any]:
    """Everything but the tables."""
    cadence = Cadence.named(head.demand.cadence)
    return head_entry(head, groups) | {"items": {one.item: item_entry(one, cadence) for one in items}}


def head_entry(head: Head, groups: Iterable[GroupTotals]) -> dict[str, Any]:
    """What is said of the whole."""
    cadence = Cadence.named(head.demand.cadence)
    wanted = head.wanted
    return {
        "format": FORMAT,
        "created": head.made.at,
        "versions": dict(head.made.versions),
        "data": plain(asdict(head.demand) | {"measure": head.demand.measure.spelled()}),
        "horizon": head.horizon,
        "levels": list(wanted.levels),
        "quantiles": list(wanted.quantiles),
        "totals_from": wanted.first,
        "intervals": wanted.kind or BY_EVIDENCE,
        "intervals_in_words": INTERVALS,
        "backtest": None if head.backtest is None else plain(head.backtest),
        **plain(head.explained),
        **({} if head.until is None else {"until": head.until}),
        **({} if head.plan is None else {"plan": head.plan._asdict()}),
        "groups": [plain(one._asdict()) for one in head.groups],
        "group_totals": [
            {"group": one.group, "name": one.name, "origin": cadence.text(one.origin)}
            | {"members": list(one.members)}
            | _total_entry(one.totals)
            for one in groups
        ],
    }


def item_entry(one: ItemPublication, cadence: Cadence) -> dict[str, Any]:
    """What is said of an item."""
    found: dict[str, Any] = {
        "method": None if one.method is None else one.method.text,
        "decided": None if one.decided is None else one.decided.text,
        "why": one.why,
        "reason": one.reason,
        "fingerprint": one.fingerprint,
        "origin": cadence.text(one.origin),
        "horizon": one.horizon,
        "demand": {"floor": plain(one.support.floor), "whole": one.support.whole},
    }
    if one.fit is not None:
        found |= _fit_entry(one.fit)
    if one.dependence is not None:
        found["errors_together"] = plain(one.dependence.tolist())
    if one.outlook is not None:
        found["intervals"] = {"published": one.outlook.bands.kind}
        if one.totals is not None:
            found["intervals"]["totals"] = _total_entry(one.totals)
        if one.held:
            rows = {kind: [plain(row._asdict()) for row in own] for kind, own in one.held.items()}
            found["intervals"]["held"] = rows
    if one.route:
        found["route"] = one.route
    if one.override is not None:
        found["override"] = one.override._asdict()
    if one.scores is not None:
        found["scores"] = plain(asdict(one.scores))
    if one.stayed:
        found["stayed"] = True
    if one.beside:
        found["beside"] = {rival.role: rival.method.text for rival in one.beside}
    if one.cautions:
        found["cautions"] = [caution._asdict() for caution in one.cautions]
    return found


def _fit_entry(fit: FitRecord) -> dict[str, Any]:
    entry = {
        "settings": plain(fit.settings),
        "form": fit.form,
        "in_words": fit.words,
        "equation": fit.equation,
        "coefficients": [plain(one._asdict()) for one in fit.estimates],
        "variance": plain(fit.variance),
        "log_likelihood": plain(fit.log_likelihood),
        "aicc": plain(fit.aicc),
    }
    members = [{"method": one.method, "share": plain(one.share)} | _fit_entry(one.record) for one in fit.members]
    for one in members:
        del one["settings"], one["equation"]  # its text says the ones, the whole has the other
    return entry | ({"members": members} if members else {})


def _total_entry(totals: Totals) -> dict[str, Any]:
    """Which intervals of totals are published, and what is remarkable about them."""
    return {"published": totals.bands.kind, "reason": totals.reason}


def plain(value: Any) -> Any:
    """What JSON can hold: NaN and infinities are null, a method is its text."""
    if isinstance(value, np.generic):
        value = value.item()
    if isinstance(value, Method):
        return value.text
    if isinstance(value, Mapping):
        return {str(key): plain(one) for key, one in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain(part) for part in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value


def _demand_of(said: Mapping[str, Any]) -> Demand:
    return Demand(**dict(said) | {"notes": tuple(said["notes"]), "measure": Measure.of(said["measure"])})


def head_of(entry: Mapping[str, Any]) -> Head:
    """The head that a manifest tells of."""
    known = {"drivers", "events"}
    return Head(
        made=Made(entry["created"], entry["versions"]),
        demand=_demand_of(entry["data"]),
        horizon=entry["horizon"],
        until=entry.get("until"),
        wanted=Wanted(
            tuple(entry["levels"]),
            tuple(entry["quantiles"]),
            None if entry["intervals"] == BY_EVIDENCE else entry["intervals"],
            entry["totals_from"],
        ),
        backtest=entry["backtest"],
        explained={key: value for key, value in entry.items() if key in known},
        groups=tuple(Grouped(one["group"], one["shared"], tuple(one["left_out"])) for one in entry["groups"]),
        plan=None if "plan" not in entry else Planned(**entry["plan"]),
    )


def evidence_of(entry: Mapping[str, Any]) -> dict[str, Any]:
    """What a manifest tells of an item besides its forecasts: fields of its `ItemPublication`."""
    held = entry.get("intervals", {}).get("held", {})
    override, scores, together = entry.get("override"), entry.get("scores"), entry.get("errors_together")
    return {
        "fingerprint": entry["fingerprint"],
        "horizon": entry["horizon"],
        "why": entry["why"],
        "reason": entry["reason"],
        "support": Support(
            -math.inf if (floor := entry["demand"]["floor"]) is None else floor, entry["demand"]["whole"]
        ),
        "route": entry.get("route", ""),
        "fit": _fit_of(entry) if "settings" in entry else None,
        "held": {kind: tuple(Held(**_numbers(Held, row)) for row in rows) for kind, rows in held.items()},
        "dependence": None if together is None else np.array(together, dtype=np.float64),
        "override": None if override is None else Overridden(**override),
        "scores": None if scores is None else _scores_of(scores),
        "cautions": tuple(Caution(**one) for one in entry.get("cautions", ())),
        "stayed": entry.get("stayed", False),
    }


def _scores_of(entry: Mapping[str, Any]) -> Scores:
    coverage = {level: _number(value) for level, value in entry["coverage"].items()}
    numbers = {f.name: _number(entry[f.name]) for f in fields(Scores) if f.type is float}
    return Scores(**{**entry, **numbers, "coverage": coverage, "unmet": tuple(entry["unmet"])})


def _fit_of(entry: Mapping[str, Any]) -> FitRecord:
    members = (MemberRecord(one["method"], _number(one["share"]), _fit_of(one)) for one in entry.get("members", ()))
    return FitRecord(
        settings=entry.get("settings", {}),
        form=entry["form"],
        words=entry["in_words"],
        equation=entry.get("equation", ""),
        estimates=tuple(Estimate(**_numbers(Estimate, one)) for one in entry["coefficients"]),
        variance=_number(entry["variance"]),
        log_likelihood=_number(entry["log_likelihood"]),
        aicc=_number(entry["aicc"]),
        members=tuple(members),
    )


def _numbers(kind: Any, entry: Mapping[str, Any]) -> dict[str, Any]:
    """The fields of a named tuple, null numbers as NaN."""
    floats = {name for name, type_ in kind.__annotations__.items() if type_ is float}
    return {name: _number(value) if name in floats else value for name, value in entry.items()}


def _number(value: float | None) -> float:
    return math.nan if value is None else float(value)
