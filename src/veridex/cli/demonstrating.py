"""The demo on the command line: something is said before anything heavy is loaded."""

import shutil
import textwrap
from dataclasses import replace
from pathlib import Path

import typer

from veridex.demo.files import write_demo_data

__all__ = ["run_demonstration"]

WIDEST = 100


def run_demonstration(directory: Path) -> None:
    """Write the demo's data and plan, run it, and say what it brought, folded to the screen."""
    width = min(shutil.get_terminal_size().columns, WIDEST)

    def say(text: str) -> None:
        typer.echo(textwrap.fill(text, width, subsequent_indent="  "))

    write_demo_data(directory)
    say(f"The data of Larkmoor Apiary Supply, which is invented, and a plan are in {directory}.")
    from veridex.cli.desk import DESK  # what it loads takes a while
    from veridex.demo.run import run_demo

    run_demo(directory, replace(DESK, say=say))
