"""What is to be published for one item."""

from dataclasses import dataclass

from veridex.core.arrays import BoolArray
from veridex.core.calibration.crossfit import Crossfit
from veridex.core.methods.method import Method
from veridex.core.verdict.evidence import Entry, ItemEvidence

__all__ = ["Choice", "Override"]


@dataclass(frozen=True, slots=True)
class Override:
    """A planner's own decision: why, and what it stands in for."""

    reason: str
    instead_of: Method | None


@dataclass(frozen=True, slots=True)
class Choice:
    """What is to be published for an item.

    Attributes
    ----------
    evidence : ItemEvidence
    winner, benchmark : Entry or None
        None where no method, or no benchmark, could be tested on every cell.
    best_single : Entry or None
        The best single method; of a single one the winner itself.
    route, because : str
        How it was decided, and why not as usual.
    crossfit : Crossfit or None
        Its forecasts at the origins; None where it was not tested.
    cross_error : float
        Its error where each origin is decided without itself.
    used : ndarray of bool, shape (O,), or None
        The origins that its evidence is from.
    unmet : tuple of str
        Conditions of the planner that it does not meet.
    override : Override or None
    """

    evidence: ItemEvidence
    winner: Entry | None
    benchmark: Entry | None
    best_single: Entry | None = None
    route: str = "regular"
    because: str = ""
    crossfit: Crossfit | None = None
    cross_error: float = float("nan")
    used: BoolArray | None = None
    unmet: tuple[str, ...] = ()
    override: Override | None = None

    @property
    def item(self) -> str:
        """Whose it is."""
        return self.evidence.item

    @property
    def joined(self) -> bool:
        """Whether several methods were joined by the verdict: not one that was entered, nor the planner's own."""
        winner = self.winner
        if winner is None or self.override is not None:
            return False
        return bool(winner.method.members) and self.evidence.entry(winner.method) is None

    @property
    def value_added(self) -> float:
        """Percent by which the winner's error is below the benchmark's; NaN without a benchmark."""
        return _less(self.winner, self.benchmark)

    @property
    def less_than_single(self) -> float:
        """Percent by which the winner's error is below that of the best single method."""
        return _less(self.winner, self.best_single)


def _less(one: Entry | None, other: Entry | None) -> float:
    if one is None or other is None:
        return float("nan")
    return 0.0 if other.error == 0.0 else 100.0 * (1.0 - one.error / other.error)
