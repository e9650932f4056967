"""The exception family, `vx.errors`. Every error Veridex raises on purpose is a `VeridexError`.

    VeridexError
      InputError            the input or the call is wrong (exit code 2)
        ReadingError          a source does not say what it should
        HistoryError          a history has not what was asked of it
        MethodError           a method, setting or measure that there is not, or not so
        CallError             an argument out of range, or words that do not go together
        StoreError            something cannot be written or read back
      OurFault              we are wrong (exit code 1)

Each keeps its facts as attributes, says what is wrong, where, the value seen, and what to do, and survives
the trip between processes.
"""

from dataclasses import dataclass, fields
from difflib import get_close_matches
from typing import Any

from veridex.trade import Kind, trade_word

__all__ = [
    "CadenceUnclear",
    "CadenceUnknown",
    "CallError",
    "CellUnreadable",
    "ColumnMissing",
    "DatesAmbiguous",
    "DecimalAmbiguous",
    "DestinationRefused",
    "FileUnreadable",
    "FittedUnreadable",
    "HistoryError",
    "HistoryTooShort",
    "InputError",
    "ItemUnknown",
    "MeasureUnknown",
    "MethodError",
    "MethodUnknown",
    "OurFault",
    "ParameterError",
    "PublicationUnreadable",
    "ReadingError",
    "RowsRefused",
    "SettingError",
    "SettingUnknown",
    "StoreError",
    "TrialUnlike",
    "TrialUnreadable",
    "VeridexError",
    "WordIdle",
    "WorkerFailed",
]


def _near(word: str, known: tuple[str, ...]) -> str:
    """Offer the nearest known word, if there is one."""
    close = get_close_matches(word, known, n=1, cutoff=0.6)
    return f" Did you mean {close[0]!r}?" if close else ""


def _known_as(kind: Kind, word: str, known: tuple[str, ...]) -> str:
    """Our word for what the trade says; else what there is, and the nearest spelling."""
    trade = trade_word(kind, word)
    if trade is not None:
        return f"the trade's {trade.says} is `{trade.ours}` here."
    return f"there are {_list(known, 40)}.{_near(word, known)}"


def _list(words: tuple[str, ...], most: int = 12) -> str:
    shown = ", ".join(words[:most])
    return shown + (f" and {len(words) - most} more" if len(words) > most else "")


class VeridexError(Exception):
    """Base of all errors that Veridex raises on purpose."""

    def __reduce__(self) -> tuple[type["VeridexError"], tuple[Any, ...]]:
        """Rebuild from the facts: workers send errors home by pickle."""
        return type(self), tuple(getattr(self, f.name) for f in fields(self))  # type: ignore[arg-type]


class InputError(VeridexError):
    """The input or the call is wrong, and the message says how to mend it."""


class ReadingError(InputError):
    """A source does not say what it should, or says it unreadably."""


class HistoryError(InputError):
    """A history has not what was asked of it."""


class MethodError(InputError, ValueError):
    """A method, a setting or a measure that there is not, or not so."""


class CallError(InputError, ValueError):
    """An argument is out of range, or words do not go together."""


class StoreError(InputError):
    """Something cannot be written where it was told to, or read back from there."""


class OurFault(VeridexError):
    """Veridex is wrong, not the input: please report it."""


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
            f"{_list(self.present)}.{_near(self.column, self.present)} Say which column holds the {self.role}."
        )


@dataclass(eq=False)
class CellUnreadable(ReadingError, ValueError):
    """Cells of a column cannot be read as what the column holds."""

    source: str
    column: str
    row: int
    value: str
    wanted: str
    count: int
    remedy: str

    def __str__(self) -> str:
        others = f" ({self.count} such cells in all)" if self.count > 1 else ""
        return (
            f"{self.source}, row {self.row}, column {self.column!r}: {self.value!r} is no {self.wanted}{others}. "
            f"{self.remedy}"
        )


@dataclass(eq=False)
class CadenceUnknown(ReadingError, ValueError):
    """A cadence was not named, or by a word that Veridex does not know."""

    word: str | None
    known: tuple[str, ...]

    def __str__(self) -> str:
        if self.word is None:
            return f"The cadence is not stated; it is one of {_list(self.known)}."
        return f"unknown cadence {self.word!r}: it is one of {_list(self.known)}.{_near(self.word, self.known)}"


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
            f"no item {self.item!r} in this history of {len(self.present)}: {_list(self.present)}."
            f"{_near(self.item, self.present)}"
        )


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
class MethodUnknown(MethodError):
    """A method was named that the catalogue does not have."""

    word: str
    known: tuple[str, ...]

    def __str__(self) -> str:
        return f"unknown method {self.word!r}: {_known_as('method', self.word, self.known)}"


@dataclass(eq=False)
class SettingError(MethodError):
    """A setting of a method is unknown, missing or out of range."""

    method: str
    problem: str

    def __str__(self) -> str:
        return f"method {self.method!r}: {self.problem}."


@dataclass(eq=False)
class SettingUnknown(MethodError):
    """A method was given a setting that it does not have."""

    method: str
    word: str
    known: tuple[str, ...]

    def __str__(self) -> str:
        return f"method {self.method!r}: unknown setting {self.word!r}: {_known_as('setting', self.word, self.known)}"


@dataclass(eq=False)
class MeasureUnknown(MethodError):
    """A measure of errors was named that there is not, or not for this purpose."""

    word: str
    known: tuple[str, ...]

    def __str__(self) -> str:
        return f"unknown measure {self.word!r}: {_known_as('measure', self.word, self.known)}"


@dataclass(eq=False)
class ParameterError(CallError):
    """An argument of a call is out of range."""

    name: str
    value: str
    problem: str

    def __str__(self) -> str:
        return f"{self.name}={self.value}: {self.problem}."


@dataclass(eq=False)
class WordIdle(CallError):
    """Words were given that would do nothing in this call."""

    words: tuple[str, ...]
    because: str

    def __str__(self) -> str:
        does, them = ("does", "it") if len(self.words) == 1 else ("do", "them")
        return f"{' and '.join(self.words)} {does} nothing here: {self.because}. Leave {them} out."


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
    """A directory does not hold a publication that this version can read."""

    source: str
    problem: str

    def __str__(self) -> str:
        return f"{self.source}: {self.problem}. Name a directory that vx.write or `veridex publish --to` has filled."


@dataclass(eq=False)
class FittedUnreadable(StoreError, ValueError):
    """A file does not hold a fitted method that this version can read."""

    source: str
    problem: str

    def __str__(self) -> str:
        return f"{self.source}: {self.problem}. Name a file that vx.write has written of a fitted method."


@dataclass(eq=False)
class TrialUnreadable(StoreError, ValueError):
    """A file does not hold a trial that this version can read."""

    source: str
    problem: str

    def __str__(self) -> str:
        return f"{self.source}: {self.problem}. Name a file that vx.write or `veridex backtest --to` has written."


@dataclass(eq=False)
class TrialUnlike(HistoryError, ValueError):
    """A verdict is to be published for a history that its trial was not made on."""

    differs: str

    def __str__(self) -> str:
        return f"the trial does not fit this history: {self.differs}. Read and tidy both alike, or test again."


@dataclass(eq=False)
class WorkerFailed(OurFault, RuntimeError):
    """A worker process broke off in a way that is our fault, not the data's."""

    problem: str

    def __str__(self) -> str:
        return f"A worker process failed: {self.problem} Try engine='serial', and please report it."
