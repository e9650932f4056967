"""The data and the plan of Larkmoor Apiary Supply, as files; nothing heavy is loaded to write them."""

import shutil
from importlib.resources import as_file, files
from pathlib import Path

from veridex.errors import DestinationRefused

__all__ = ["DATA", "PLAN", "write_demo_data"]

PLAN = "plan.toml"
DATA = (
    *("demand.csv", "orders.csv", "weekly.csv", "spares.csv", "stands.csv"),
    *("weather.csv", "prices.csv", "events.csv"),
)


def write_demo_data(directory: Path) -> Path:
    """Copy the packaged files into a directory, which is made if need be.

    Raises
    ------
    DestinationRefused
        If the directory cannot be written.
    """
    try:
        directory.mkdir(parents=True, exist_ok=True)
        with as_file(files("veridex.demo") / "data") as packaged:
            for name in (*DATA, PLAN):
                shutil.copyfile(packaged / name, directory / name)
    except OSError as problem:
        raise DestinationRefused(str(directory), problem.strerror or str(problem), "Name another directory.") from None
    return directory
