"""The way in: run the command that is called, and say what went wrong."""

import sys
import traceback

import typer

from veridex.cli.main import app
from veridex.cli.spoken import spoken
from veridex.errors import InputError

__all__ = ["run"]


def run() -> None:
    """Run the command line: a wrong input is one message and exit code 2; only our faults have a traceback."""
    every = app.registered_commands
    named = {one.name or getattr(one.callback, "__name__", ""): one for one in every}
    # The options of all commands take longer to build than most work: only those of the one that is called are.
    app.registered_commands = [named[word] for word in sys.argv[1:2] if word in named] or every
    try:
        app()
    except InputError as error:
        typer.echo(f"veridex: {spoken(error)}", err=True)
        sys.exit(2)
    except BrokenPipeError:
        sys.stderr.close()  # the reader of our output has gone; there is nobody to tell
        sys.exit(0)
    except Exception:
        traceback.print_exc()
        typer.echo("veridex: this is our fault, not yours. Please report it with the lines above.", err=True)
        sys.exit(1)
    finally:
        app.registered_commands = every
