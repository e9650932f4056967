"""A history has not what was asked of it."""

from dataclasses import dataclass

from veridex.errors.base import HistoryError
from veridex.errors.wording import listed, near

__all__ = ["HistoryTooShort", "ItemUnknown", "RowsRefused", "SeveralItems", "TrialUnlike"]


@dataclass(eq=False)
class RowsRefused(HistoryError, ValueError):
    """A history holds what it was told to refuse: several rows of a period, or negative demand."""

    item: str
    period: str
    problem: str
    count: int
    remedy: str

    def __str__(self) -> str:
        others = f" ({self.count} such periods in all)" if self.count > 1 else ""
        return f"{self.item} {self.problem} in {self.period}{others}. Correct the source, or say {self.remedy}."


@dataclass(eq=False)
class ItemUnknown(HistoryError, KeyError):
    """An item was asked for that the history does not have."""

    item: str
    present: tuple[str, ...]

    def __str__(self) -> str:
        return (
            f"no item {self.item!r} in this history of {len(self.present)}: {listed(self.present)}."
            f"{near(self.item, self.present)}"
        )


@dataclass(eq=False)
class SeveralItems(HistoryError, ValueError):
    """A history of several items was passed where one series is wanted."""

    first: str
    count: int

    @property
    def problem(self) -> str:
        """What is wrong, without what to do."""
        return f"this works on one series, and the history has {self.count} items"

    def __str__(self) -> str:
        return f"{self.problem}; pick one: history[{self.first!r}]."


@dataclass(eq=False)
class HistoryTooShort(HistoryError, ValueError):
    """A history has too few periods for what was asked."""

    item: str
    periods: int
    needed: int
    purpose: str
    remedy: str

    def __str__(self) -> str:
        return f"{self.item} has {self.periods} periods; {self.purpose} needs {self.needed}. {self.remedy}"


@dataclass(eq=False)
class TrialUnlike(HistoryError, ValueError):
    """A verdict is to be published for a history that its trial was not made on."""

    differs: str

    def __str__(self) -> str:
        return f"the trial does not fit this history: {self.differs}. Read and tidy both alike, or test again."
