"""Writers that find a disk full at a random place: the new version stands whole, or the old one and a message."""

import random
import subprocess
import sys
import tempfile
from collections import Counter
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from resource import RLIM_INFINITY, RLIMIT_FSIZE, setrlimit

from verification.writers import DONE, REFUSED, Writer, child, others, publications, told, waited

TRIES = 20
COUNTS = ("tries", "refused", "done", "ended raw", "done but old", "neither stands", "stray", "next write wrong")
BARS = COUNTS[3:]
SIZE = 16
"""Megabytes of the disk."""

ROOM = 400_000
"""Bytes from which on every writer has enough."""


@contextmanager
def disk() -> Iterator[Path | None]:
    """A small disk of our own; None where this user cannot mount one."""
    with tempfile.TemporaryDirectory() as directory:
        words = ["mount", "-t", "tmpfs", "-o", f"size={SIZE}m", "tmpfs", directory]
        if subprocess.run(words, capture_output=True).returncode:
            yield None
            return
        try:
            yield Path(directory)
        finally:
            subprocess.run(["umount", directory], check=True)


def fill(place: Path, left: int) -> None:
    """Leave so many bytes free."""
    (place / "filler").write_bytes(b"")
    free = int(subprocess.run(["stat", "-f", "-c", "%a %S", place], capture_output=True, text=True).stdout.split()[0])
    with (place / "filler").open("wb") as file:
        file.write(b"x" * max(free * 4096 - left, 0))


def crammed(writer: Writer, place: Path | None, tries: int) -> Counter[str]:
    """Write one version over the other with little room, each time another."""
    rng, count, old, new = random.Random(writer.called), Counter[str](), 0, 1
    writer.write(0)
    for _ in range(tries):
        room = int(ROOM * rng.random() ** 3)
        if place is not None:
            fill(place, room)

        def work(new: int = new, room: int = room) -> None:
            if place is None:
                setrlimit(RLIMIT_FSIZE, (room // 4, RLIM_INFINITY))
            writer.write(new)

        code = waited(child(work))
        found = writer.stands()
        count["tries"] += 1
        count["refused"] += code == REFUSED
        count["done"] += code == DONE
        count["ended raw"] += code not in (DONE, REFUSED)
        count["done but old"] += code == DONE and found != new
        count["neither stands"] += found is None and not writer.resumes
        left = [name for name in writer.strays() if name != "filler"]
        count["stray"] += bool(left)
        if left:
            print(left)
        if place is not None:
            (place / "filler").unlink()
        writer.write(new)
        count["next write wrong"] += writer.stands() != new
        old, new = new, old
    return count


def main(tries: int = TRIES) -> int:
    """Print what became of each kind; in how many ways harm was done."""
    with ExitStack() as stack:
        place = stack.enter_context(disk())
        if place is None:
            print("This user can mount no disk: single files that may not grow stand for it.\n")
        else:
            tempfile.tempdir = str(place)
            stack.callback(setattr, tempfile, "tempdir", None)
        # The disk of a server is its own.
        writers = [*stack.enter_context(publications(served=False)), *stack.enter_context(others())]
        return told(writers, COUNTS, BARS, lambda writer: crammed(writer, place, tries))


if __name__ == "__main__":
    sys.exit(main())
