"""Publications into places, against what the driver or the library does with the same rows alone."""

import shutil
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from itertools import count
from pathlib import Path

import numpy as np
import pyarrow as pa
from pyarrow import csv, parquet

import veridex as vx
from veridex.exchange.forms.publications import PUBLICATION
from veridex.exchange.kept import Kept
from veridex.exchange.places.addresses import place_of
from veridex.exchange.places.databases.rows import plain, spelled
from veridex.exchange.places.place import keep_together

sys.path.append(str(Path(__file__).parents[1] / "tests"))
from servers import postgresql_server

__all__ = ["report_places"]

MEMORY = """
import sys
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
import numpy as np
import veridex as vx

def held(key):
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith(key)) / 1024

class Made(Mapping):
    "Items that are made when they are asked for, and forgotten."
    def __init__(self, one, count):
        self.one, self.names = one, range(count)
    def __len__(self):
        return len(self.names)
    def __iter__(self):
        return (f"item-{k}" for k in self.names)
    def __getitem__(self, item):
        return replace(self.one, item=item)

history = vx.History.from_numbers(np.arange(120.0) % 12, start="2015-09", cadence="monthly", item="a")
few = vx.publish(history, method="seasonal-naive", horizon=12)
many = replace(few, published=Made(few["a"], int(sys.argv[2])))
vx.write(few, sys.argv[1])
Path("/proc/self/clear_refs").write_text("5")  # the peak starts anew
before = held("VmRSS")
vx.write(many, sys.argv[1])
print(held("VmHWM") - before)
"""

ITEMS, PAST, AHEAD, TIMES = 1000, 120, 12, 7
TYPES = {pa.float64(): "double precision", pa.int64(): "bigint", pa.bool_(): "boolean", pa.timestamp("s"): "timestamp"}


def published() -> vx.Publication:
    """Seasonal items without a backtest: how they were decided makes no difference to their rows."""
    rng, t = np.random.default_rng(5), np.arange(PAST)
    many = []
    for k in range(ITEMS):
        season = 1 + 0.3 * np.sin(2 * np.pi * (t + k % 12) / 12)
        values = np.round(rng.uniform(20, 200) * season * np.exp(0.1 * rng.normal(size=PAST)))
        many += vx.History.from_numbers(values, start="2015-09", cadence="monthly", item=f"item-{k:04d}")
    return vx.publish(vx.History.of(many), method="seasonal-naive", horizon=AHEAD)


def seconds(*works: Callable[[], object]) -> list[float]:
    """The least of several times, taking turns, each on a place of its own: what a noisy machine adds is not ours."""
    times: list[list[float]] = [[] for _ in works]
    for _ in range(TIMES):
        for work, own in zip(works, times, strict=True):
            begun = time.perf_counter()
            work()
            own.append(time.perf_counter() - begun)
    return [min(own) for own in times]


class Rows:
    """The rows of a publication, as whoever writes them by hand would have them ready."""

    def __init__(self, kept: Kept) -> None:
        self.parts = list(kept.parts())
        self.layouts = kept.layouts
        self.tables = {
            one.name: pa.concat_tables([part[one.name] for part in self.parts if one.name in part])
            for one in self.layouts
        }

    def executemany(self, path: Path) -> Callable[[], object]:
        """The driver's own way into SQLite, without indexes."""
        rows = {
            one.name: list(zip(*[plain(self.tables[one.name][f.name], f) for f in one.schema], strict=True))
            for one in self.layouts
        }
        numbers = count()

        def work() -> None:
            with sqlite3.connect(path / f"{next(numbers)}.db") as connection:
                for one in self.layouts:
                    names = ", ".join(f'"{name}"' for name in one.schema.names)
                    connection.execute(f"CREATE TABLE {one.name} ({names})")
                    marks = ", ".join("?" * len(one.schema))
                    connection.executemany(f"INSERT INTO {one.name} VALUES ({marks})", rows[one.name])

        return work

    def copied(self, server: str) -> Callable[[], object]:
        """COPY of the same rows as CSV, into tables without indexes."""
        import psycopg

        texts = {}
        for one in self.layouts:
            sink = pa.BufferOutputStream()
            columns = [spelled(self.tables[one.name][name]) for name in one.schema.names]
            table = pa.table(columns, names=one.schema.names)
            csv.write_csv(table, sink, csv.WriteOptions(include_header=False))
            texts[one.name] = sink.getvalue().to_pybytes()
        numbers = count()

        def work() -> None:
            number = next(numbers)
            with psycopg.connect(server.replace("+psycopg", "")) as connection, connection.cursor() as cursor:
                for one in self.layouts:
                    kinds = [f'"{f.name}" {TYPES.get(f.type, "text")}' for f in one.schema]
                    cursor.execute(f"CREATE TABLE bare_{number}_{one.name} ({', '.join(kinds)})")
                    with cursor.copy(f"COPY bare_{number}_{one.name} FROM STDIN WITH (FORMAT csv)") as copying:
                        copying.write(texts[one.name])

        return work

    def bare_parquet(self, path: Path) -> Callable[[], object]:
        """PyArrow alone, compressed the same."""
        numbers = count()

        def work() -> None:
            home = path / f"bare-{next(numbers)}"
            home.mkdir()
            for name, table in self.tables.items():
                parquet.write_table(table, home / f"{name}.parquet", compression="zstd")

        return work


@contextmanager
def directory() -> Iterator[Path]:
    with tempfile.TemporaryDirectory() as name:
        yield Path(name)
        shutil.rmtree(name, ignore_errors=True)


def peak(items: int) -> float:
    """Megabytes that writing so many items as Parquet takes, where they are made one by one."""
    with directory() as home:
        words = [sys.executable, "-c", MEMORY, str(home / "many.parquet"), str(items)]
        return float(subprocess.run(words, check=True, capture_output=True, text=True).stdout)


def report_places(report: Callable[[str, float, float, str], None]) -> None:
    """Ratios of places to what does the same with the rows at hand; and of whole calls, which make the rows first."""
    publication = published()
    kept = PUBLICATION.keep(publication)
    rows = Rows(kept)
    ready = replace(kept, parts=lambda: iter(rows.parts))
    size = f"{ITEMS:,} items x {PAST + AHEAD} periods"
    with directory() as home, postgresql_server() as server:
        rivals: list[tuple[str, str, float, Callable[[], object]]] = [
            ("SQLite, against executemany", f"sqlite:///{home}/{{}}-ours.db", 3.0, rows.executemany(home)),
            ("Parquet, against PyArrow", f"{home}/{{}}.parquet", 1.5, rows.bare_parquet(home)),
        ]
        if server is not None:
            rivals.append(("PostgreSQL, against COPY", f"{server}&prefix=p{{}}_", 2.0, rows.copied(server)))
        numbers = count()
        for what, address, bar, rival in rivals:

            def place(value: Kept, address: str = address) -> None:
                keep_together(value, [place_of(address.format(next(numbers)), PUBLICATION)])

            place(ready)
            rival()
            theirs, ours, whole = seconds(rival, lambda: place(ready), lambda: place(PUBLICATION.keep(publication)))
            report(f"{size} into {what} of the same rows ({theirs:.2f} s)", ours / theirs, bar, "x")
            report(f"the same, with making the rows ({whole:.2f} s)", whole / theirs, bar, "x")
    few, many = peak(2_000), peak(20_000)
    report(f"peak memory of 20,000 items into Parquet over that of 2,000 ({few:.0f} MB)", many / few, 1.5, "x")
