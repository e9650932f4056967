"""Two writers of one place at once, and a reader beside them: what is read is one of the two, and so is the end."""

import sys
import tempfile
from collections import Counter

import veridex as vx
from verification.writers import BROKEN, DONE, REFUSED, Writer, child, history, others, publications, told, waited

ROUNDS = 12
COUNTS = ("rounds", "one was refused", "read the old or new", "read neither", "ended raw", "end is neither", "stray")
BARS = COUNTS[3:]
METHODS = ["naive", "drift"]


def crowded(writer: Writer, rounds: int) -> Counter[str]:
    """Have two processes write both versions over and over, and read meanwhile."""
    count = Counter[str]()
    writer.write(0)
    for number in range(rounds):
        processes = [child(lambda which=which: writer.write(which)) for which in (number % 2, 1 - number % 2)]
        for _ in range(3):
            found = writer.stands()
            count["read neither" if found is None and not writer.resumes else "read the old or new"] += 1
        codes = [waited(process) for process in processes]
        count["rounds"] += 1
        count["one was refused"] += REFUSED in codes
        # Of two backtests in one directory the second is refused; of any others both are done, whoever is last.
        allowed = {DONE, REFUSED} if writer.resumes or "://" in writer.place else {DONE}
        count["ended raw"] += not set(codes) <= allowed or BROKEN in codes or DONE not in codes
        count["end is neither"] += writer.stands() is None
        left = writer.strays()
        count["stray"] += bool(left)
        if left:
            print(left)
    return count


def checkpointed(rounds: int) -> int:
    """Three backtests at once keep what they finish in one directory; how many end raw or with other results."""
    many, scheme, lost = (history(1), history(2)), vx.RollingOrigin(horizon=2, origins=4), 0
    right = [vx.backtest(one, METHODS, scheme).errors for one in many]

    def test(which: int, place: str) -> None:
        assert vx.backtest(many[which], METHODS, scheme, checkpoint=place).errors.equals(right[which])

    for number in range(rounds):
        with tempfile.TemporaryDirectory() as place:
            which = (number % 2, 0, 1)
            processes = [child(lambda one=one, place=place: test(one, place)) for one in which]
            lost += sum(waited(process) != DONE for process in processes)
    return lost


def main(rounds: int = ROUNDS) -> int:
    """Print what became of each kind; in how many ways harm was done."""
    with publications() as places, others() as more:
        wrong = told([*places, *more], COUNTS, BARS, lambda writer: crowded(writer, rounds))
    lost = checkpointed(rounds)
    print(f"\n{3 * rounds} backtests of two histories, three at a time with one checkpoint: {lost} wrong")
    return wrong + lost


if __name__ == "__main__":
    sys.exit(main())
