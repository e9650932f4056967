"""Writers that are killed at random moments: each place holds one whole version, and the next writer is right."""

import os
import random
import signal
import sys
import time

from verification.writers import Writer, child, others, publications, seconds, told, waited

KILLS = 20
COUNTS = ("killed at work", "old stood", "new stood", "nothing stood", "next write wrong", "stray")
BARS = COUNTS[3:]


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
        count["nothing stood"] += found is None and not writer.resumes
        writer.write(new)
        count["next write wrong"] += writer.stands() != new
        left = writer.strays()
        count["stray"] += bool(left)
        if left:
            print(left)
        old, new = new, old
    return count


def main(kills: int = KILLS) -> int:
    """Publications in every place."""
    with publications() as writers:
        return told(writers, COUNTS, BARS, lambda writer: killed(writer, kills))


def more(kills: int = KILLS) -> int:
    """Everything else that is written."""
    with others() as writers:
        return told(writers, COUNTS, BARS, lambda writer: killed(writer, kills))


if __name__ == "__main__":
    sys.exit(main() or more())
