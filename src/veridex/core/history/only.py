"""The one series in what was passed."""

from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.errors import SeveralItems

__all__ = ["only_item"]


def only_item(history: History | ItemHistory) -> ItemHistory:
    """The one series in what was passed.

    Raises
    ------
    SeveralItems
        If a history of several items was passed where one series is wanted.
    """
    if isinstance(history, ItemHistory):
        return history
    if len(history) != 1:
        raise SeveralItems(history.names[0], len(history))
    return next(iter(history))
