"""The clock by which fits are timed: it stands still while compiled code is loaded or made."""

import time
from functools import cache

from numba.core import event

__all__ = ["working_seconds"]

LOADING = "numba:compiler_lock"
"""Held while a kernel is read from disk or compiled, which happens at its first use."""


@cache
def _loading() -> event.TimingListener:
    listener = event.TimingListener()  # type: ignore[no-untyped-call]
    event.register(LOADING, listener)  # type: ignore[no-untyped-call]
    return listener


def working_seconds() -> float:
    """Seconds that go by, less those in which compiled code was loaded since the first call.

    Read outside the loading itself, as before and after a fit.
    """
    loading = _loading()
    return time.perf_counter() - (loading.duration if loading.done else 0.0)
