"""A source does not say what it should."""

from dataclasses import dataclass

from veridex.errors.base import ReadingError
from veridex.errors.wording import listed, near

__all__ = [
    "CadenceUnclear",
    "CadenceUnknown",
    "CellUnreadable",
    "ColumnMissing",
    "DatesAmbiguous",
    "DecimalAmbiguous",
    "FileUnreadable",
]


@dataclass(eq=False)
class FileUnreadable(ReadingError, OSError):
    """A file is missing, empty or not what it was said to be."""

    file: str
    problem: str
    remedy: str = "Check the name and the path."

    def __str__(self) -> str:
        return f"{self.file}: {self.problem}. {self.remedy}"


@dataclass(eq=False)
class ColumnMissing(ReadingError, KeyError):
    """A named column is not in the table."""

    source: str
    column: str
    role: str
    present: tuple[str, ...]

    def __str__(self) -> str:
        return (
            f"{self.source} has no column {self.column!r} for the {self.role}; its columns are "
            f"{listed(self.present)}.{near(self.column, self.present)} Say which column holds the {self.role}."
        )


@dataclass(eq=False)
class CellUnreadable(ReadingError, ValueError):
    """Cells of a column cannot be read as what the column holds; `also` are those of other columns."""

    source: str
    column: str
    row: int
    value: str
    wanted: str
    count: int
    remedy: str
    also: "tuple[CellUnreadable, ...]" = ()

    def __str__(self) -> str:
        more = "".join(f" Also {one._where()}. {one.remedy}" for one in self.also)
        return f"{self.source}, {self._where()}. {self.remedy}{more}"

    def _where(self) -> str:
        others = f" ({self.count} such cells in all)" if self.count > 1 else ""
        return f"row {self.row}, column {self.column!r}: {self.value!r} is no {self.wanted}{others}"


@dataclass(eq=False)
class CadenceUnknown(ReadingError, ValueError):
    """A cadence was not named, or by a word that Veridex does not know."""

    word: str | None
    known: tuple[str, ...]

    def __str__(self) -> str:
        if self.word is None:
            return f"The cadence is not stated; it is one of {listed(self.known)}."
        return f"unknown cadence {self.word!r}: it is one of {listed(self.known)}.{near(self.word, self.known)}"


@dataclass(eq=False)
class CadenceUnclear(ReadingError, ValueError):
    """No cadence was stated and none can be inferred from the dates."""

    problem: str

    def __str__(self) -> str:
        return f"the cadence cannot be inferred: {self.problem}. State it with cadence=, as in cadence='monthly'."


@dataclass(eq=False)
class DatesAmbiguous(ReadingError, ValueError):
    """Dates of numbers in which day and month could change places."""

    source: str
    column: str
    row: int
    value: str

    def __str__(self) -> str:
        return (
            f"{self.source}, row {self.row}, column {self.column!r}: {self.value!r} could be read day first or month "
            "first, and nothing in the column tells. Say dates='day-first' or dates='month-first'."
        )


@dataclass(eq=False)
class DecimalAmbiguous(ReadingError, ValueError):
    """Numbers in which a comma could be the decimal mark or group thousands."""

    source: str
    column: str
    row: int
    value: str

    def __str__(self) -> str:
        return (
            f"{self.source}, row {self.row}, column {self.column!r}: the comma in {self.value!r} could mark "
            "decimals or thousands, and nothing in the column tells. Say decimal=',' or decimal='.'."
        )


@dataclass(eq=False)
class PeriodStray(ReadingError, ValueError):
    """A period that stands alone, far from those of all other rows."""

    source: str
    period: str
    away: str
    others: str

    def __str__(self) -> str:
        return (
            f"{self.source}: the period {self.period} stands {self.away} from all others, which are {self.others}: a "
            "slip, it seems. Correct its row, or leave it out."
        )
