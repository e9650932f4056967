"""What a worker answers: the results of a chunk of tasks, or the error that stopped it, whatever carries it there."""

import traceback
from collections.abc import Callable, Sequence
from typing import Any

from veridex.core.threads import one_thread
from veridex.errors import VeridexError, WorkerFailed

__all__ = ["Answer", "answered"]

Answer = tuple[bool, Any]
"""Whether it went well, and the results or the error."""


def answered(function: Callable[[Any], Any], tasks: Sequence[Any]) -> Answer:
    """Results of tasks, one after the other, on one thread: the same bits wherever it runs."""
    try:
        with one_thread():
            return True, [function(task) for task in tasks]
    except VeridexError as error:
        return False, error
    except Exception:
        return False, WorkerFailed(traceback.format_exc())
