"""How a fold ended. A small integer inside the arrays, a reason in words at the edge."""

from enum import IntEnum

__all__ = ["Status", "reason_for", "short_reason"]


class Status(IntEnum):
    """Above zero there is no forecast; below zero there is one, with a remark."""

    MODEL_INTERVALS = -3
    MEMBERS_LEFT_OUT = -2
    NOT_CONVERGED = -1
    DONE = 0
    TOO_SHORT = 1
    NOT_POSITIVE = 2
    CONSTANT = 3
    NO_SEASON = 5
    NO_FIT = 6
    NO_FOLD = 7
    NEGATIVE = 8
    ABOVE_ZERO = 9
    UNKNOWN_INSIDE = 10
    DRIVER_UNKNOWN = 11
    DEPENDENT = 12
    NO_DRIVERS = 13
    WORKER_DIED = 14
    NOT_FINITE = 15
    NOT_ITS_OWN = 16
    NO_NEIGHBOURS = 17


_REASONS = {
    Status.MODEL_INTERVALS: "remark: too few simulations were usable; the intervals are the model's own",
    Status.MEMBERS_LEFT_OUT: "remark: members that could not be fitted were left out",
    Status.NOT_CONVERGED: "remark: the search for the best parameters stopped before it had settled",
    Status.DONE: "",
    Status.TOO_SHORT: "too little history: the method needs {needs}",
    Status.NOT_POSITIVE: "multiplicative errors and seasons need demand above zero throughout",
    Status.CONSTANT: "nothing varies: the likelihood of a constant history has no maximum",
    Status.NO_SEASON: "the method needs a season, and this history has none",
    Status.NO_FIT: "no finite estimates were found",
    Status.NOT_FINITE: "its forecasts are no finite numbers so far ahead",
    Status.ABOVE_ZERO: "a logarithm or power needs demand above zero throughout",
    Status.UNKNOWN_INSIDE: "conditional sums of squares need every value between the first and the last",
    Status.DRIVER_UNKNOWN: "a driver has no value in a period that is needed",
    Status.WORKER_DIED: "the process that worked on this item died twice",
    Status.NO_DRIVERS: "the method explains demand by drivers or events, and none were passed",
    Status.DEPENDENT: "columns explain each other exactly: leave one of them out",
    Status.NEGATIVE: "demand below zero is nothing that comes now and then",
    Status.NOT_ITS_OWN: "its parameters are none that this method writes",
    Status.NO_NEIGHBOURS: "no neighbours lend a season: several items must have shown every period of it",
    Status.NO_FOLD: "the history does not reach back to this origin",
}


def reason_for(status: int, needs: str) -> str:
    """Say why there is no forecast, or what is remarkable about it; empty where all is well."""
    return _REASONS[Status(status)].format(needs=needs)


def short_reason(status: int) -> str:
    """The reason without its particulars, for lists of many methods."""
    return _REASONS[Status(status)].partition(":")[0]
