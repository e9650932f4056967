"""`decide` and `Verdict`: what is to be published per item, and why."""

from dataclasses import dataclass, field
from functools import cached_property

import pandas as pd

from veridex.core.backtest.trial import Trial
from veridex.core.methods.words import number
from veridex.core.verdict.blend import blend_choices
from veridex.core.verdict.evidence import Entry, gather
from veridex.core.verdict.single import Choice, choose_single
from veridex.errors import ItemUnknown, ParameterError

__all__ = ["Verdict", "decide"]


def decide(trial: Trial, rule: str = "single") -> "Verdict":
    """Decide per item what is to be published.

    Parameters
    ----------
    trial : Trial
    rule : {"single", "blend"}
        ``single``: the lowest mean MASE over the origins (mean absolute error where an item has no scale),
        provided it beats the benchmark, otherwise the benchmark; ties go to fewer parameters.
        ``blend``: a mean of a shortlist with weights by skill, frozen as numbers; its error and coverage are
        cross-fitted, each origin forecast with weights that have not seen it.

    Raises
    ------
    ParameterError
        If the rule is another one.
    """
    if rule == "blend":
        return Verdict(trial=trial, rule=rule, choices=blend_choices(trial))
    if rule != "single":
        raise ParameterError("rule", repr(rule), "the rules are 'single' and 'blend'")
    choices = tuple(choose_single(gather(trial, i), trial.benchmarks) for i in range(len(trial.history)))
    return Verdict(trial=trial, rule=rule, choices=choices)


@dataclass(frozen=True, eq=False, kw_only=True)
class Verdict:
    """What is to be published per item, with the evidence.

    Attributes
    ----------
    trial : Trial
    rule : str
    choices : tuple of Choice
        In the order of the trial's items.
    """

    trial: Trial = field(repr=False)
    rule: str
    choices: tuple[Choice, ...] = field(repr=False)

    def choice(self, item: str) -> Choice:
        """The choice for one item.

        Raises
        ------
        ItemUnknown
            If the trial has no such item.
        """
        if item not in self._by_item:
            raise ItemUnknown(item, self.trial.history.names)
        return self._by_item[item]

    @cached_property
    def _by_item(self) -> dict[str, Choice]:
        return {choice.evidence.item: choice for choice in self.choices}

    @cached_property
    def winners(self) -> pd.DataFrame:
        """A row per item: item, method, measure, its error, the benchmark and its error, gain in percent,
        parameters, origins, of a blend also the best single method and its error, coverage of each level, reason.
        """
        return pd.DataFrame([self._row(choice) for choice in self.choices])

    def _row(self, choice: Choice) -> dict[str, object]:
        winner, benchmark = choice.winner, choice.benchmark
        row: dict[str, object] = {
            "item": choice.evidence.item,
            "method": winner.method if winner else None,
            "measure": choice.evidence.measure,
            "error": winner.error if winner else float("nan"),
            "benchmark": benchmark.method if benchmark else None,
            "benchmark_error": benchmark.error if benchmark else float("nan"),
            "gain": choice.gain,
            "parameters": winner.parameters if winner else float("nan"),
            "origins": choice.evidence.origins,
        }
        if self.rule == "blend":
            single = choice.best_single or winner
            row["best_single"] = single.method if single else None
            row["best_single_error"] = single.error if single else float("nan")
        for j, level in enumerate(self.trial.levels):
            label = f"coverage_{level:g}".replace(".", "_")
            row[label] = winner.coverage[j] if winner else float("nan")
        row["reason"] = self.reason(choice.evidence.item)
        return row

    def why(self, item: str) -> str:
        """Say why an item's winner won, with the numbers.

        Raises
        ------
        ItemUnknown
            If the trial has no such item.
        """
        choice = self.choice(item)
        evidence, winner, benchmark = choice.evidence, choice.winner, choice.benchmark
        if winner is None:
            return f"{item}: nothing is published, because {self.reason(item)}."
        measure = evidence.measure.upper()
        tested = sorted((e for e in evidence.entries if not e.missing), key=lambda e: (e.error, e.parameters))
        cadence = self.trial.history.cadence
        parts = [
            f"{item}: {winner.method} is published. Over {evidence.origins} "
            f"{'origins' if evidence.origins > 1 else 'origin'}, up to {cadence.length(evidence.furthest)} ahead, "
            f"its mean {measure} was {number(winner.error, 3)}"
        ]
        if benchmark is None:
            parts.append("; no benchmark could be tested.")
        elif winner is benchmark:
            parts.append("; it is the benchmark, and no other method beat it.")
        else:
            parts.append(
                f", against {number(benchmark.error, 3)} for the benchmark {benchmark.method}: "
                f"{number(choice.gain, 2)} % less error."
            )
        parts.append(self._runner_up(winner, tested) if choice.best_single is None else self._blended(choice))
        parts.append(self._intervals(winner, evidence.cells))
        parts.append(self._left_out(choice))
        return "".join(parts)

    def _left_out(self, choice: Choice) -> str:
        """Methods without a forecast at some origin, gathered by reason."""
        reasons = dict.fromkeys(entry.missing for entry in choice.evidence.entries if entry.missing)
        groups = [
            f"{', '.join(entry.method for entry in choice.evidence.entries if entry.missing == reason)} ({reason})"
            for reason in reasons
        ]
        return f" Not considered, having no forecast at some origins: {'; '.join(groups)}." if groups else ""

    def _runner_up(self, winner: Entry, tested: list[Entry]) -> str:
        others = [entry for entry in tested if entry is not winner]
        if not others:
            return " It was the only method that could be tested at every origin."
        text = f" Of {len(tested)} methods tested, {others[0].method} came next with {number(others[0].error, 3)}"
        if others[0].error == winner.error:
            same = others[0].parameters == winner.parameters
            text += ", the same error" + ("" if same else " with more parameters")
        price = number(winner.parameters, 3)
        return f"{text}. The winner estimates {price} {'quantity' if price == '1' else 'quantities'} from the data."

    def _blended(self, choice: Choice) -> str:
        """How the blend's error was measured, and what the best single method reached."""
        single = choice.best_single
        assert single is not None
        return (
            f" This error is cross-fitted: the weights at each origin come from the others. The best single method was "
            f"{single.method} with {number(single.error, 3)}, which flatters it, since it was picked by these errors."
        )

    def _intervals(self, winner: Entry, cells: int) -> str:
        held = [
            f"{level:g} % intervals held {number(share, 3)} %"
            for level, share in zip(self.trial.levels, winner.coverage, strict=True)
        ]
        return f" Its {', its '.join(held)} of {cells} actuals." if held else ""

    def reason(self, item: str) -> str:
        """Why nothing is published for an item; empty where something is.

        Raises
        ------
        ItemUnknown
            If the trial has no such item.
        """
        choice = self.choice(item)
        if choice.winner is not None:
            return ""
        if not choice.evidence.origins:
            return "its history has no origin with a known actual after it"
        missing = "; ".join(sorted({entry.missing for entry in choice.evidence.entries}))
        return f"no method could be tested at every origin ({missing})"
