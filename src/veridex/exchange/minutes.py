"""The minutes of a verdict in files beside its trial."""

from collections.abc import Iterator

from veridex.core.backtest.minutes import Noted
from veridex.exchange.homes import Home
from veridex.exchange.records import packed, unpacked

__all__ = ["KeptMinutes"]


class KeptMinutes:
    """A file for each part; what was cut off at the end of one is written anew. See `Minutes`.

    Parameters
    ----------
    home : Home
        Where they are until the verdict is reached.
    """

    def __init__(self, home: Home) -> None:
        self._home = home
        self._room = True

    def read(self, part: str) -> Iterator[Noted]:
        """What is there already; the file ends with the last that is whole."""
        path = self._home.path / part
        if not path.exists():
            return
        with path.open("r+b") as file:
            end = 0
            while (record := unpacked(file)) is not None:
                end = file.tell()
                yield Noted(*record)
            file.truncate(end)

    def add(self, part: str, noted: Noted) -> None:
        """Write one more behind the others, as long as there is room: without minutes a verdict is reached as well."""
        if not self._room:
            return
        try:
            with (self._home.path / part).open("ab") as file:
                file.write(packed(noted.said, noted.arrays))
        except OSError:
            self._room = False

    def leave(self) -> None:
        """Let another process have them."""
        self._home.leave()

    def close(self) -> None:
        """Remove them."""
        self._home.remove()
