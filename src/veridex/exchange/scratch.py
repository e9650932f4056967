"""Temporary directories that go with whoever holds them."""

import shutil
import tempfile
import weakref
from pathlib import Path

__all__ = ["Scratch"]


class Scratch:
    """A temporary directory; it is removed when nobody holds it any more, at the end of the process at the latest.

    Parameters
    ----------
    what : str
        What its name says is in it.
    """

    def __init__(self, what: str) -> None:
        self.path = Path(tempfile.mkdtemp(prefix=f"veridex-{what}-"))
        weakref.finalize(self, shutil.rmtree, self.path, ignore_errors=True)
