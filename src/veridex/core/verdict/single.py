"""The rule `single`: the method with the lowest error, provided it beats the benchmark."""

from dataclasses import dataclass

from veridex.core.verdict.evidence import Entry, ItemEvidence

__all__ = ["Choice", "choose_single"]


@dataclass(frozen=True, slots=True)
class Choice:
    """What is to be published for an item.

    Attributes
    ----------
    evidence : ItemEvidence
    winner, benchmark : Entry or None
        None where no method, or no benchmark, could be tested on every cell.
    best_single : Entry or None
        Of a blend: what the rule `single` would have published.
    """

    evidence: ItemEvidence
    winner: Entry | None
    benchmark: Entry | None
    best_single: Entry | None = None

    @property
    def gain(self) -> float:
        """Percent by which the winner's error is below the benchmark's; NaN without a benchmark."""
        if self.winner is None or self.benchmark is None:
            return float("nan")
        if self.benchmark.error == 0.0:
            return 0.0
        return 100.0 * (1.0 - self.winner.error / self.benchmark.error)


def choose_single(evidence: ItemEvidence, benchmarks: tuple[str, ...]) -> Choice:
    """Choose the lowest mean error; ties go to fewer parameters, then to the lineup's order.

    The first of `benchmarks` that was tested on every cell must be beaten, and is chosen if nothing beats it.
    """
    tested = [entry for entry in evidence.entries if not entry.missing]
    by_name = {entry.method: entry for entry in tested}
    benchmark = next((by_name[name] for name in benchmarks if name in by_name), None)
    if not tested:
        return Choice(evidence, None, None)
    best = min(tested, key=lambda entry: (entry.error, entry.parameters))
    if benchmark is not None and not best.error < benchmark.error:
        best = benchmark
    return Choice(evidence, best, benchmark)
