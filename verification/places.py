"""Writers that are killed at random moments: each place holds one whole version, and the next writer is right."""

import os
import random
import shutil
import signal
import sys
import time
from collections.abc import Iterable

from verification.writers import Writer, child, others, publications, seconds, waited

KILLS = 100
COUNTS = ("killed at work", "old stood", "new stood", "nothing stood", "next write wrong", "stray")


def killed(writer: Writer, kills: int) -> dict[str, int]:
    """Kill writers of one version over the other, and look each time at what stands."""
    rng = random.Random(writer.called)
    writer.write(0)
    took = min(seconds(lambda: writer.write(0)) for _ in range(4))
    count, old, new = dict.fromkeys(COUNTS, 0), 0, 1
    while count["killed at work"] < kills:
        process = child(lambda: writer.write(new))  # noqa: B023 - it is called at once
        # Half of them in the last third, where what was written is shown.
        time.sleep(rng.uniform(0.0 if rng.random() < 0.5 else 0.66, 1.0) * took)
        os.kill(process, signal.SIGKILL)
        count["killed at work"] += waited(process) < 0
        found = writer.stands()
        count["old stood"] += found == old
        count["new stood"] += found == new
        count["nothing stood"] += found is None
        writer.write(new)
        count["next write wrong"] += writer.stands() != new
        left = writer.strays()
        count["stray"] += bool(left)
        if left:
            print(left)
        old, new = new, old
    return count


def told(writers: Iterable[Writer], kills: int = KILLS) -> int:
    """Print what became of each; in how many ways harm was done."""
    wrong = []
    print(f"| what is written | {' | '.join(COUNTS)} |\n| --- |{' --- |' * len(COUNTS)}")
    for writer in writers:
        count = killed(writer, kills)
        print(f"| {writer.called} | {' | '.join(str(count[name]) for name in COUNTS)} |", flush=True)
        bars = ("next write wrong", "stray") if writer.resumes else ("nothing stood", "next write wrong", "stray")
        wrong += [f"{writer.called}: {name}" for name in bars if count[name]]
        shutil.rmtree(writer.home)
    print("".join(f"harm: {one}\n" for one in wrong), end="")
    return len(wrong)


def main() -> int:
    """Publications in every place."""
    with publications() as writers:
        return told(writers)


def more() -> int:
    """Everything else that is written."""
    with others() as writers:
        return told(writers)


if __name__ == "__main__":
    sys.exit(main() or more())
