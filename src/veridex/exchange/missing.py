"""Files that are not there, or not ours to read: told before anything is loaded to read them with."""

import os
from pathlib import Path

from veridex.errors import FileUnreadable
from veridex.errors.wording import near

__all__ = ["meant_instead", "refuse_missing"]


def refuse_missing(file: str | Path) -> None:
    """Raise `FileUnreadable` where a file is not there, or may not be read; addresses and `-` are no files."""
    if "://" in str(file) or str(file) == "-":
        return
    try:
        there = Path(file).exists()
    except OSError as problem:  # a directory that is not ours to look into, a name that is too long for the disk
        raise FileUnreadable(str(file), problem.strerror or str(problem), "Check the name and the path.") from None
    if there:
        if not os.access(file, os.R_OK):
            raise FileUnreadable(str(file), "it may not be read", "Ask its owner for the right to, or copy it.")
        return
    remedy = meant_instead(file) or "Check the name and the path."
    raise FileUnreadable(str(file), "there is no such file", remedy)


def meant_instead(file: str | Path) -> str:
    """A file beside it that is nearly called so; empty where there is none."""
    beside = Path(file).parent
    names = tuple(one.name for one in beside.iterdir()) if beside.is_dir() else ()
    return near(Path(file).name, names).strip()
