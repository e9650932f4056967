"""Which item and methods a view of a trial shows."""

from collections.abc import Sequence

from veridex.core.backtest.trial import Trial
from veridex.core.methods.method import Method
from veridex.errors import ItemUnknown, ParameterError

__all__ = ["item_of", "methods_of"]


def item_of(names: Sequence[str], item: str | None) -> str:
    """The item that was named, or the only one there is.

    Raises
    ------
    ItemUnknown, ParameterError
        If there is no such item, or none was named of several.
    """
    if item is not None:
        if item not in names:
            raise ItemUnknown(item, tuple(names))
        return item
    if len(names) != 1:
        raise ParameterError("item", "None", f"there are {len(names)} items; name one, such as {names[0]!r}")
    return names[0]


def methods_of(trial: Trial, methods: Sequence[str | Method] | str | Method | None) -> tuple[Method, ...]:
    """The methods that were named, or those that the planner entered."""
    if methods is None:
        return trial.entered
    named = (methods,) if isinstance(methods, (str, Method)) else methods
    return tuple(trial.lineup[trial.method_index(one)] for one in named)
