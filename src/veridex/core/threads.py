"""One thread in matrix products: how a sum is shared out among threads changes its last bits."""

from contextlib import ContextDecorator
from functools import cache
from typing import Any, Self

from threadpoolctl import ThreadpoolController

__all__ = ["one_thread"]


@cache
def _controller() -> ThreadpoolController:
    """What sets the threads of the libraries that are loaded; looking for them takes a millisecond."""
    import scipy.linalg  # noqa: F401 - what it multiplies with is found once it is loaded

    return ThreadpoolController()


class one_thread(ContextDecorator):  # noqa: N801 - reads as what it does: with one_thread()
    """Work on one thread, so that the same numbers come out wherever it is done; also a decorator."""

    def __enter__(self) -> Self:
        self._limit: Any = _controller().limit(limits=1)
        self._limit.__enter__()
        return self

    def __exit__(self, *problem: object) -> None:
        self._limit.__exit__(*problem)

    def _recreate_cm(self) -> Self:
        return type(self)()
