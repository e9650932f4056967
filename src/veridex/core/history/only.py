"""The one series in what was passed."""

from veridex.core.history.history import History, as_history
from veridex.core.history.item import ItemHistory
from veridex.errors import SeveralItems

__all__ = ["only_item"]


def only_item(history: History | ItemHistory) -> ItemHistory:
    """The one series in what was passed.

    Raises
    ------
    SeveralItems
        If a history of several items was passed where one series is wanted.
    ParameterError
        If it is no history.
    """
    if isinstance(history, ItemHistory):
        return history
    many = as_history(history)
    if len(many) != 1:
        raise SeveralItems(many.names[0], len(many))
    return next(iter(many))
