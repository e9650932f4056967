"""Writers that are killed at random moments: each place holds one whole publication, and the next writer is right."""

import os
import random
import shutil
import signal
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, redirect_stderr, redirect_stdout
from pathlib import Path

import numpy as np
import sqlalchemy as sql

import veridex as vx
from veridex.exchange.places.databases.address import Address

sys.path.append(str(Path(__file__).parents[1] / "tests"))
from servers import postgresql_server

KILLS, ITEMS = 100, 4
COUNTS = ("killed at work", "old stood", "new stood", "torn", "next write wrong", "stray")
BARS = ("torn", "next write wrong", "stray")


def published(seed: int) -> vx.Publication:
    """Forecasts of some items, another set for each seed."""
    rng = np.random.default_rng(seed)
    many = [
        vx.History.from_numbers(100 + 10 * rng.random(24), start="2020-01", cadence="monthly", item=f"item-{k}")
        for k in range(ITEMS)
    ]
    return vx.publish(vx.History.of([one for each in many for one in each]), method="drift", horizon=3)


def child(work: Callable[[], object]) -> int:
    """A process of its own that has loaded everything, so that kills hit the work."""
    process = os.fork()
    if process == 0:
        with Path(os.devnull).open("w") as nowhere, redirect_stdout(nowhere), redirect_stderr(nowhere):
            try:
                work()
            finally:
                os._exit(0)
    return process


def finished(work: Callable[[], object]) -> float:
    """Seconds of a writer that nobody kills."""
    begun = time.perf_counter()
    os.waitpid(child(work), 0)
    return time.perf_counter() - begun


def stood(place: str) -> str:
    """The fingerprint of what can be read; empty where nothing can."""
    try:
        return vx.read_publication(place).head.demand.fingerprint
    except vx.VeridexError:
        return ""


def stray(home: Path, place: str, whole: set[str]) -> list[str]:
    """What a killed writer and the one after it must not leave: files, tables, rows of nobody."""
    left = [path.name for path in home.iterdir() if path.name not in whole]
    if "://" in place:
        address = Address.of(place)
        with address.connected() as connection:
            for name in ("forecast", "total", "item", "law", "ledger"):
                rows = f"SELECT count(*) FROM {address.prefix}{name} WHERE publication NOT IN"
                found = connection.execute(sql.text(f"{rows} (SELECT number FROM {address.prefix}publication)"))
                left += [f"{name}: {number} rows of nobody" for (number,) in found if number]
            ours = {name for name in sql.inspect(connection).get_table_names() if name.startswith(address.prefix)}
            left += sorted(ours - {f"{address.prefix}{name}" for name in TABLES})
    return left


TABLES = ("schema", "long_text", "publication", "forecast", "total", "item", "law", "ledger")


def killed(place: str, home: Path, old: vx.Publication, new: vx.Publication) -> dict[str, int]:
    """Kill writers of one of two publications over the other, and look each time at what stands."""
    rng = random.Random(place)
    vx.write(old, place)
    whole = {path.name for path in home.iterdir()}
    took = min(finished(lambda: vx.write(old, place)) for _ in range(4))
    count = dict.fromkeys(COUNTS, 0)
    while count["killed at work"] < KILLS:
        before, after = (one.head.demand.fingerprint for one in (old, new))
        process = child(lambda: vx.write(new, place))  # noqa: B023 - it is called at once
        # Half of them in the last third, where what was written is shown.
        time.sleep(rng.uniform(0.0 if rng.random() < 0.5 else 0.66, 1.0) * took)
        os.kill(process, signal.SIGKILL)
        _, code = os.waitpid(process, 0)
        found = stood(place)
        count["killed at work"] += os.WIFSIGNALED(code)
        count["old stood"] += found == before
        count["new stood"] += found == after
        count["torn"] += found not in (before, after)
        vx.write(new, place)
        count["next write wrong"] += stood(place) != after
        left = stray(home, place, whole)
        count["stray"] += bool(left)
        if left:
            print(left)
        old, new = new, old
    return count


@contextmanager
def places() -> Iterator[list[tuple[str, str, Path]]]:
    """Every kind of place: what it is called, its address, and the directory that nothing else may appear in."""
    with tempfile.TemporaryDirectory() as directory, postgresql_server() as server:
        named = {"CSV": "out", "Parquet": "out.parquet", "Excel": "out.xlsx", "SQLite": "out.db"}
        found = []
        for called, name in named.items():
            home = Path(directory) / called
            home.mkdir()
            address = f"sqlite:///{home}/{name}?retain=2" if called == "SQLite" else str(home / name)
            found.append((called, address, home))
        home = Path(directory) / "PostgreSQL"
        home.mkdir()
        if server is None:
            print("PostgreSQL: no server can be started here, so its writers were not killed.\n")
        else:
            found.append(("PostgreSQL", f"{server}&retain=2", home))
        yield found


def main() -> None:
    old, new = published(1), published(2)
    wrong = []
    print(f"| place | {' | '.join(COUNTS)} |\n| --- |{' --- |' * len(COUNTS)}")
    with places() as found:
        for called, place, home in found:
            count = killed(place, home, old, new)
            print(f"| {called} | {' | '.join(str(count[name]) for name in COUNTS)} |", flush=True)
            wrong += [f"{called}: {name}" for name in BARS if count[name]]
            shutil.rmtree(home)
    if wrong:
        sys.exit(f"a killed writer did harm: {', '.join(wrong)}")


if __name__ == "__main__":
    main()
