"""What `run` does: the plan is followed, and what was done is said in a summary; or how to schedule it."""

import sys
from pathlib import Path

import typer

from veridex.cli.desk import desk_for
from veridex.cli.tables import folded
from veridex.errors import TellingFailed
from veridex.job.requests import Running
from veridex.plan.reading import read_plan
from veridex.plan.running import follow
from veridex.plan.schedule import schedule

__all__ = ["run_plan_file"]


def run_plan_file(running: Running) -> int:
    """Follow the plan; the exit code is 0, or 3 where there are alerts.

    Raises
    ------
    TellingFailed
        If all is done, but somebody could not be told.
    """
    if running.schedule is not None:
        read_plan(running.plan)
        typer.echo(schedule(running.schedule, running.plan, Path(sys.argv[0])), nl=False)
        return 0
    run = follow(running.plan, desk_for(running), only=running.only, as_of=running.as_of)
    for line in run.lines():
        typer.echo(folded(line))
    if run.untold:
        raise TellingFailed(str(running.plan), run.untold)
    return run.code
