"""What is to be published for one item."""

from dataclasses import dataclass

from veridex.core.arrays import BoolArray
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.methods.fold.status import Status, reason_for
from veridex.core.methods.method import Method
from veridex.core.verdict.claim import NO_CLAIM, Claim
from veridex.core.verdict.evidence import Entry, ItemEvidence

__all__ = ["DIED", "Choice", "Kept", "Override"]

DIED = reason_for(Status.WORKER_DIED, "")


@dataclass(frozen=True, slots=True)
class Override:
    """A planner's own decision: why, and what it stands in for."""

    reason: str
    instead_of: Method | None


@dataclass(frozen=True, slots=True)
class Kept:
    """That the method of the last publication stays, or why it does not.

    Attributes
    ----------
    other : Method
        Where it stays, what would win now; else the method of last time.
    because : str
        How the two compare.
    stays : bool
    """

    other: Method
    because: str
    stays: bool


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
    hindcast : Hindcast or None
        Its forecasts at the origins, decided by what was known at each; None where it was not tested.
    basis : Hindcast or None
        The same decided as now, but without each origin in turn: what published bands learn from. None where nothing
        was weighed, and it is the same.
    claim : Claim
        What may be said of its error.
    tempered : Claim or None
        That of a blend which had lost to the benchmark by itself, so that it is mixed with it, or not published at all.
    share : float
        How much of the blend is left then.
    lost : str
        What lost to the benchmark, which is published instead; empty where nothing did.
    used : ndarray of bool, shape (O,), or None
        The origins that its evidence is from.
    unmet : tuple of str
        Conditions of the planner that it does not meet.
    override : Override or None
    kept : Kept or None
        Where the last publication had another method than wins now.
    """

    evidence: ItemEvidence
    winner: Entry | None
    benchmark: Entry | None
    best_single: Entry | None = None
    route: str = "regular"
    because: str = ""
    hindcast: Hindcast | None = None
    basis: Hindcast | None = None
    claim: Claim = NO_CLAIM
    tempered: Claim | None = None
    share: float = 1.0
    lost: str = ""
    used: BoolArray | None = None
    unmet: tuple[str, ...] = ()
    override: Override | None = None
    kept: Kept | None = None

    @property
    def item(self) -> str:
        """Whose it is."""
        return self.evidence.item

    @property
    def died(self) -> bool:
        """Whether whoever worked on it died, and died again: nobody is to try once more."""
        return self.winner is None and self.because == DIED

    @property
    def learned(self) -> Hindcast | None:
        """What published bands learn from."""
        return self.hindcast if self.basis is None else self.basis

    @property
    def tested(self) -> bool:
        """Whether anything of it was tested on the item itself."""
        return self.hindcast is not None or self.claim.origins > 0

    @property
    def joined(self) -> bool:
        """Whether several methods were joined by the verdict: not one that was entered, nor the planner's own."""
        winner = self.winner
        if winner is None or self.override is not None:
            return False
        return bool(winner.method.members) and self.evidence.entry(winner.method) is None
