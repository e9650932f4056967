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

from veridex.errors.base import (
    CallError,
    HistoryError,
    InputError,
    MethodError,
    OurFault,
    ReadingError,
    StoreError,
    VeridexError,
)
from veridex.errors.calls import ParameterError, WordIdle
from veridex.errors.faults import WorkerFailed
from veridex.errors.histories import HistoryTooShort, ItemUnknown, RowsRefused, SeveralItems, TrialUnlike
from veridex.errors.methods import MeasureUnknown, MethodUnknown, SettingError, SettingUnknown
from veridex.errors.plans import PlanBusy, PlanUntested, PlanWrong, TellingFailed
from veridex.errors.reading import (
    CadenceUnclear,
    CadenceUnknown,
    CellUnreadable,
    ColumnMissing,
    DatesAmbiguous,
    DecimalAmbiguous,
    FileUnreadable,
    PeriodStray,
)
from veridex.errors.stores import DestinationRefused, FittedUnreadable, PublicationUnreadable, TrialUnreadable

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
    "PeriodStray",
    "PlanBusy",
    "PlanUntested",
    "PlanWrong",
    "PublicationUnreadable",
    "ReadingError",
    "RowsRefused",
    "SettingError",
    "SettingUnknown",
    "SeveralItems",
    "StoreError",
    "TellingFailed",
    "TrialUnlike",
    "TrialUnreadable",
    "VeridexError",
    "WordIdle",
    "WorkerFailed",
]
