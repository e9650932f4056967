"""A verdict in words that a planner can repeat in a meeting."""

import math
from collections.abc import Sequence

import numpy as np

from veridex.core.backtest.trial import Trial
from veridex.core.calibration.crossfit import Crossfit
from veridex.core.methods.words import number
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.evidence import Entry

__all__ = ["reason_for_nothing", "why"]


def why(choice: Choice, trial: Trial, lead_times: Sequence[int] | None = None) -> str:
    """Say what is published for an item, and on what evidence."""
    item, winner = choice.evidence.item, choice.winner
    if winner is None:
        return f"{item}: nothing is published, because {reason_for_nothing(choice)}."
    parts = [f"{item}: {_published(choice, winner)} is published", _because(choice)]
    if choice.crossfit is None:
        parts.append(" Nothing is known of its error: it was not tested.")
    else:
        parts += [
            _tested(choice, winner, trial, lead_times),
            _rivals(choice, winner),
            _intervals(choice, winner, trial),
        ]
    parts.append(_left_out(choice))
    parts += [f" Not met: {one}." for one in choice.unmet]
    return "".join(parts)


def _published(choice: Choice, winner: Entry) -> str:
    """What is published, a blend by its largest parts."""
    made = winner.method
    if made.weights and choice.joined:
        ranked = sorted(zip(made.members, made.weights, strict=True), key=lambda pair: -pair[1])
        return f"a blend of {', '.join(f'{100 * share:.0f} % {one}' for one, share in ranked)}"
    if made.members and made.settings.get("weights") == "trimmed":
        return f"the mean of {', '.join(one.text for one in made.members)}, without the highest and the lowest,"
    return made.text


def _because(choice: Choice) -> str:
    if choice.override is not None:
        before = choice.override.instead_of
        instead = "" if before is None else f" instead of {'the blend' if before.members else before}"
        return f"{instead}, as the planner decided: {choice.override.reason.rstrip('.')}."
    if choice.route == "regular":
        return "."
    words = {
        "intermittent": "It is judged among methods for intermittent demand, by squared errors",
        "retired": "The item is taken as retired",
        "new": "The item is new",
        "short": "The history is short",
        "untested": "No test was possible",
    }
    return f". {words.get(choice.route, choice.route)}: {choice.because}."


def _tested(choice: Choice, winner: Entry, trial: Trial, lead_times: Sequence[int] | None) -> str:
    evidence, benchmark = choice.evidence, choice.benchmark
    origins = "origins" if evidence.origins > 1 else "origin"
    known = ~np.isnan(trial[evidence.item].actuals)
    earlier = int(known.any(axis=1).sum()) - evidence.origins
    early = f" ({earlier} earlier ones knew too little)" if earlier else ""
    reach = f"up to {trial.history.cadence.length(evidence.furthest)} ahead"
    if lead_times is not None:
        reach = f"at lead times {', '.join(map(str, lead_times))}"
    said = (
        f" Over {evidence.origins} {origins}{early}, {reach}, "
        f"its {'root mean square ' if evidence.measure.startswith('rms') else 'mean '}{evidence.measure.upper()} was "
        f"{number(winner.error, 3)}"
    )
    if benchmark is None:
        return f"{said}; no benchmark could be tested."
    if winner.method == benchmark.method:
        return f"{said}; it is the benchmark{_unbeaten(choice, winner)}."
    much, less = abs(choice.value_added), "less" if choice.value_added >= 0 else "more"
    against = f"{number(benchmark.error, 3)} for the benchmark {benchmark.method}"
    return f"{said}, against {against}: {number(much, 2)} % {less} error."


def _unbeaten(choice: Choice, winner: Entry) -> str:
    """Whether nothing beat the benchmark on the item itself, or on the whole portfolio."""
    if choice.override is not None or choice.route == "retired":
        return ""
    lower = any(not entry.missing and entry.error < winner.error for entry in choice.evidence.entries)
    return ", which nothing beats once the other items are considered" if lower else ", and no other method beat it"


def _rivals(choice: Choice, winner: Entry) -> str:
    """The best single method beside a blend, or the runner-up beside a single one."""
    single = choice.best_single
    if single is not None and choice.joined:
        return (
            f" This error is cross-fitted: the weights at each origin come from the others. The best single method was "
            f"{single.method} with {number(single.error, 3)}, which flatters it, since it was picked by these errors."
        )
    others = [e for e in choice.evidence.entries if not e.missing and e.method != winner.method]
    if not others:
        return " It was the only method that could be tested at every origin."
    first = min(others, key=lambda e: (e.error, e.parameters))
    place = "came next" if first.error >= winner.error else "came lowest"
    said = f" Of {len(others) + 1} methods tested, {first.method} {place} with {number(first.error, 3)}"
    if first.error == winner.error:
        said += ", the same error" + ("" if first.parameters == winner.parameters else " with more parameters")
    elif first.error < winner.error and choice.override is None and choice.route == "regular":
        said += "; it is not on the shortlist, or did worse on the portfolio's other items"
    price = number(winner.parameters, 3)
    said += f". The winner estimates {price} {'quantity' if price == '1' else 'quantities'} from the data."
    if not math.isnan(choice.cross_error) and choice.cross_error != winner.error:
        said += (
            f" Decided at each origin without that origin the error would have been {number(choice.cross_error, 3)}."
        )
    return said


def _intervals(choice: Choice, winner: Entry, trial: Trial) -> str:
    held = [
        f"{level:g} % intervals held {number(share, 3)} %"
        for level, share in zip(trial.levels, winner.coverage, strict=True)
    ]
    if choice.crossfit is None or not held:
        return ""
    stood = choice.crossfit.transforms
    return f" Its {', its '.join(held)} of {int((~np.isnan(stood)).sum())} actuals.{_shifts(choice.crossfit, trial)}"


def _shifts(fit: Crossfit, trial: Trial) -> str:
    """What a shift of the level within the tested span does to the bands; empty where there was none."""
    if not fit.shifts:
        return ""
    cells = int((np.isnan(fit.transforms) & ~np.isnan(fit.errors)).sum())
    when = " and ".join(trial.history.cadence.text(period) for period in fit.shifts)
    return (
        f" The level shifted in {when}: {cells} forecasts made before and due after it were set aside, so bands do not "
        f"reckon with another shift; the methods' own spread still holds it, which makes bands wider than they need be."
    )


def _left_out(choice: Choice) -> str:
    """Methods without a forecast at some origin, gathered by reason."""
    reasons = dict.fromkeys(entry.missing for entry in choice.evidence.entries if entry.missing)
    groups = [
        f"{', '.join(entry.method.text for entry in choice.evidence.entries if entry.missing == reason)} ({reason})"
        for reason in reasons
    ]
    if choice.crossfit is None or not groups:
        return ""
    return f" Not considered, having no forecast at some origins: {'; '.join(groups)}."


def reason_for_nothing(choice: Choice) -> str:
    """Why nothing is published; empty where something is."""
    if choice.winner is not None:
        return ""
    if not choice.evidence.origins:
        return choice.because or "its history has no origin with a known actual after it"
    missing = "; ".join(sorted({entry.missing for entry in choice.evidence.entries} - {""}))
    return f"no method that may be published could be tested at every origin ({missing})"
