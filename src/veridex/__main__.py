"""`python -m veridex`: the command, where its script is not on the path."""

from veridex.cli.entry import run

run()
