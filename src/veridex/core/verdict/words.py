"""A verdict in words that a planner can repeat in a meeting."""

from collections.abc import Sequence

import numpy as np

from veridex.core.backtest.trial import Trial
from veridex.core.calibration.held import Held
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.methods.words import counted
from veridex.core.readable import number
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.evidence import Entry

__all__ = ["reason_for_nothing", "why"]


def why(choice: Choice, trial: Trial, shown: Sequence[Held], lead_times: Sequence[int] | None = None) -> str:
    """Say what is published for an item, and on what evidence."""
    item, winner = choice.evidence.item, choice.winner
    if winner is None:
        return f"{item}: nothing is published, because {reason_for_nothing(choice)}."
    parts = [f"{item}: {_published(choice, winner)} is published", _because(choice)]
    if not choice.tested:
        own = choice.evidence.origins and choice.override is None
        said = "no origin of its own could test it" if own else "it was not tested"
        parts.append(f" Nothing is known of its error: {said}.")
    else:
        parts += [
            _tested(choice, winner, trial, lead_times),
            _rivals(choice, winner),
            _intervals(choice, shown, trial),
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
    if choice.kept is not None:
        other = "the blend" if choice.kept.other.members else str(choice.kept.other)
        if choice.kept.stays:
            return f", kept from the last publication: {other} would win now, but {choice.kept.because}."
        return f" instead of {other} of the last publication: {choice.kept.because}."
    if choice.route == "regular":
        return f", because {choice.because}." if choice.because else "."
    words = {
        "intermittent": "It is judged among methods for intermittent demand, by squared errors",
        "retired": "The item is taken as retired",
        "new": "The item is new",
        "short": "The history is short",
        "untested": "No test was possible",
    }
    return f". {words.get(choice.route, choice.route)}: {choice.because}."


def _tested(choice: Choice, winner: Entry, trial: Trial, lead_times: Sequence[int] | None) -> str:
    claim, benchmark = choice.claim, choice.benchmark
    if not claim.origins:
        return f" Nothing is known of its error: {_no_claim(choice)}."
    known = ~np.isnan(trial[choice.item].actuals)
    earlier = int(known.any(axis=1).sum()) - choice.evidence.origins
    early = f"; {earlier} earlier ones knew too little" if earlier else ""
    reach = f"up to {trial.history.cadence.length(choice.evidence.furthest)} ahead"
    if lead_times is not None:
        reach = f"at lead times {', '.join(map(str, lead_times))}"
    how = " decided by what was known at each" if _decided(choice) else ""
    said = (
        f" Over {counted(claim.origins, 'origin')}{how} ({_windows(claim.windows)}{early}), {reach}, "
        f"its {'root mean square ' if choice.evidence.measure.startswith('rms') else 'mean '}"
        f"{choice.evidence.measure.upper()} was {number(claim.error, 3)}"
    )
    if benchmark is None:
        return f"{said}; no benchmark could be tested."
    if winner.method == benchmark.method:
        return f"{said}; it is the benchmark{_unbeaten(choice, winner)}."
    much, less = abs(claim.value_added), "less" if claim.value_added >= 0 else "more"
    against = f"{number(claim.benchmark_error, 3)} for the benchmark {benchmark.method}"
    return f"{said}, against {against}: {number(much, 2)} % {less} error.{_tempered(choice)}"


def _windows(windows: int) -> str:
    """How many windows do not overlap."""
    return "one window" if windows == 1 else f"{windows} windows that do not overlap"


def _decided(choice: Choice) -> bool:
    """Whether something was decided from errors, which each origin then does by those that were complete at it."""
    return choice.override is None and choice.winner is not None and choice.claim.origins < choice.evidence.origins


def _no_claim(choice: Choice) -> str:
    """Why nothing is claimed of a choice that was tested."""
    if choice.evidence.origins < 2:
        return "it was chosen by the errors of the only origin"
    return "most of its weight has methods that only other items could test, from histories as long as this one is now"


def _tempered(choice: Choice) -> str:
    """That a blend had lost to the benchmark and is mixed with it."""
    if choice.tempered is None or choice.lost:
        return ""
    plain = choice.tempered
    return (
        f" By itself the blend had {number(plain.error, 3)} and lost to the benchmark: {100 * choice.share:.0f} % of "
        f"it are therefore mixed with {100 - 100 * choice.share:.0f} % of that."
    )


def _unbeaten(choice: Choice, winner: Entry) -> str:
    """Whether nothing beat the benchmark on the item itself, or on the whole portfolio."""
    if choice.override is not None or choice.route == "retired":
        return ""
    if choice.lost and choice.tempered is not None:
        plain = choice.tempered
        return (
            f", published because {choice.lost} lost to it: {number(plain.error, 3)} against "
            f"{number(plain.benchmark_error, 3)} over {counted(plain.origins, 'origin')} that were decided by what was "
            f"known at each"
        )
    lower = any(not entry.missing and entry.error < winner.error for entry in choice.evidence.entries)
    return ", which nothing beats once the other items are considered" if lower else ", and no other method beat it"


def _rivals(choice: Choice, winner: Entry) -> str:
    """The best single method beside a blend, or the runner-up beside a single one."""
    single = choice.best_single
    if choice.lost or not choice.claim.origins:
        return ""
    if single is not None and choice.joined:
        return (
            f" The best single method was {single.method} with {number(choice.claim.single_error, 3)}, which flatters "
            f"it, since it was picked by these errors."
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
    return f"{said}. The winner estimates {price} {'quantity' if price == '1' else 'quantities'} from the data."


def _intervals(choice: Choice, shown: Sequence[Held], trial: Trial) -> str:
    """What intervals held, by what was known at each origin."""
    if choice.hindcast is None or not shown:
        return ""
    if not shown[0].cells:
        return " What its intervals hold is not known."
    held = [f"{row.level:g} % intervals held {number(row.coverage, 3)} %" for row in shown]
    return f" Its {', its '.join(held)} of {shown[0].cells} actuals.{_shifts(choice.hindcast, trial)}"


def _shifts(fit: Hindcast, trial: Trial) -> str:
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
    if choice.hindcast is None or not groups:
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
