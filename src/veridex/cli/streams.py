"""Standard output and standard error as machines have them: closed, full, in an old code page, read by one who goes."""

import io
import os
import select
import sys
from contextlib import suppress

__all__ = ["as_data", "finished", "opened", "reader_gone"]


def opened() -> None:
    """Have every stream: what is closed leads nowhere, and letters that a code page lacks are written out."""
    for name, mode in (("stdin", "r"), ("stdout", "w"), ("stderr", "w")):
        if getattr(sys, name) is None:
            setattr(sys, name, open(os.devnull, mode, encoding="utf-8"))  # noqa: SIM115 - as long as the program
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")


def as_data() -> None:
    """What is printed from here on is read by programs: UTF-8, whatever the code page."""
    if isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(encoding="utf-8")


def finished(code: int) -> tuple[int, OSError | None]:
    """The exit code once all is written out, and what kept it from being so; that a reader goes early is no fault."""
    try:
        sys.stdout.flush()
    except BrokenPipeError:
        _lead_nowhere()
        return 0, None
    except OSError as problem:
        _lead_nowhere()
        return code, problem
    return code, None


def reader_gone() -> bool:
    """Whether nobody reads standard output any more."""
    with suppress(OSError, ValueError, AttributeError):
        asked = select.poll()
        asked.register(sys.stdout.fileno(), select.POLLERR)
        return bool(asked.poll(0))
    return False


def _lead_nowhere() -> None:
    """What is still waiting is not tried again when Python ends."""
    with suppress(OSError, ValueError):
        nowhere = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, sys.stdout.fileno())
        os.close(nowhere)
