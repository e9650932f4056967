"""Something cannot be written or read back."""

from dataclasses import dataclass

from veridex.errors.base import StoreError

__all__ = ["DestinationRefused", "FittedUnreadable", "PublicationUnreadable", "TrialUnreadable"]


@dataclass(eq=False)
class DestinationRefused(StoreError, OSError):
    """Something cannot be written where it was told to."""

    destination: str
    problem: str
    remedy: str

    def __str__(self) -> str:
        return f"{self.destination}: {self.problem}. {self.remedy}"


@dataclass(eq=False)
class PublicationUnreadable(StoreError, ValueError):
    """A place does not hold a publication that this version can read."""

    source: str
    problem: str

    def __str__(self) -> str:
        return f"{self.source}: {self.problem}. Name a place that vx.write or `veridex publish --to` has filled."


@dataclass(eq=False)
class FittedUnreadable(StoreError, ValueError):
    """A file does not hold a fitted method that this version can read."""

    source: str
    problem: str

    def __str__(self) -> str:
        return f"{self.source}: {self.problem}. Name a file that vx.write has written of a fitted method."


@dataclass(eq=False)
class TrialUnreadable(StoreError, ValueError):
    """A place does not hold a trial that this version can read."""

    source: str
    problem: str

    def __str__(self) -> str:
        return f"{self.source}: {self.problem}. Name a place that vx.write or `veridex backtest --to` has filled."
