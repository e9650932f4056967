"""A worker process: reads functions and chunks of tasks from standard input, writes results to standard output.

Started as ``python -m veridex.engines.worker``. It imports the core alone, and stops when its input ends.
"""

import os
import pickle
import sys

from veridex.engines.answering import answered

__all__ = ["work"]


def work() -> None:
    """Answer chunks, which are lists of tasks, by the function that came last, until there are no more."""
    source = os.fdopen(os.dup(0), "rb")
    sink = os.fdopen(os.dup(1), "wb")
    # What anything below prints must not come between the results.
    os.dup2(2, 1)
    function = pickle.load(source)
    while True:
        try:
            told = pickle.load(source)
        except EOFError:
            return
        if not isinstance(told, list):
            function = told
            continue
        pickle.dump(answered(function, told), sink, protocol=pickle.HIGHEST_PROTOCOL)
        sink.flush()


if __name__ == "__main__":
    try:
        work()
    except (KeyboardInterrupt, BrokenPipeError):
        sys.exit(1)
