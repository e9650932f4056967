"""The one series in what was passed."""

from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.errors import ParameterError

__all__ = ["only_item"]


def only_item(history: History | ItemHistory) -> ItemHistory:
    """The one series in what was passed.

    Raises
    ------
    ParameterError
        If a history of several items was passed where one series is wanted.
    """
    if isinstance(history, ItemHistory):
        return history
    if len(history) != 1:
        name = history.names[0]
        raise ParameterError(
            "series",
            f"a history of {len(history)} items",
            f"this works on one series; pick one: history[{name!r}], or --item COLUMN={name} on the command line",
        )
    return next(iter(history))
