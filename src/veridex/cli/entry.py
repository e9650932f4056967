"""The way in: run the command that is called, and say what went wrong."""

import sys
import traceback
from contextlib import suppress

import typer

from veridex.cli import streams
from veridex.cli.main import app
from veridex.cli.spoken import seen, spoken
from veridex.errors import InputError

__all__ = ["run"]

WRONG = 2
"""The exit code where the input, or the machine, is what has to be mended."""

OURS = 1


def run() -> None:
    """Run the command line: a wrong input is one message and exit code 2; only our faults have a traceback."""
    every = app.registered_commands
    named = {one.name or getattr(one.callback, "__name__", ""): one for one in every}
    # The options of all commands take longer to build than most work: only those of the one that is called are.
    app.registered_commands = [named[word] for word in sys.argv[1:2] if word in named] or every
    streams.opened()
    try:
        code, problem = streams.finished(_code())
    finally:
        app.registered_commands = every
    sys.exit(code if problem is None or code else _refused(problem))


def _code() -> int:
    """The exit code of the command."""
    try:
        app()
    except SystemExit as end:
        code = end.code if isinstance(end.code, int) else int(end.code is not None)
        return 0 if code == 1 and streams.reader_gone() else code  # libraries end the program with 1 then
    except InputError as error:
        return _told(spoken(error))
    except OSError as problem:
        return _refused(problem)
    except MemoryError as problem:
        return _told(f"this machine's memory is too small for it. {seen(str(problem))}".rstrip())
    except Exception:
        traceback.print_exc()
        _told("this is our fault, not yours. Please report it with the lines above.")
        return OURS
    return 0


def _refused(problem: OSError) -> int:
    """Say what the machine refused: a full disk, a place that is read-only, an output that nobody takes."""
    where = f"{problem.filename}: " if problem.filename else ""
    return _told(seen(f"{where}{problem.strerror or problem}."))


def _told(text: str) -> int:
    with suppress(OSError):  # nobody can be told
        typer.echo(f"veridex: {text}", err=True)
    return WRONG
