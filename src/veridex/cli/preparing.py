"""What `prepare` says: what was compiled for this machine, and where it is."""

import typer

from veridex.cli.desk import DESK
from veridex.job.preparing import ALL, kept_in, prepare

__all__ = ["run_prepare"]


def run_prepare() -> None:
    """Compile all parts that are not compiled yet."""
    begun = DESK.seconds()
    made = prepare(ALL, DESK)
    place = kept_in()
    if made:
        typer.echo(f"Prepared for this machine: {', '.join(made)}; it took {DESK.seconds() - begun:.0f} seconds.")
    elif place is not None:
        typer.echo("Nothing to do: this machine is prepared.")
    if place is not None:
        typer.echo(f"Compiled code is kept in {place} and beside it; nothing of it leaves this machine.")
