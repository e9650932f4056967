"""Everything that is written, each in two versions: how, what stands of it, and what must not lie about afterwards."""

import os
import signal
import sys
import tempfile
import time
import traceback
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, nullcontext, redirect_stderr, redirect_stdout
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import matplotlib as mpl
import numpy as np
import sqlalchemy as sql

import veridex as vx
from veridex.exchange.places.databases.address import Address

sys.path.append(str(Path(__file__).parents[1] / "tests"))
from servers import postgresql_server

ITEMS, MONTHS = 4, 24
DONE, REFUSED, BROKEN = 0, 3, 9
HANGS = 120
"""Seconds that no writer takes."""
TABLES = ("schema", "long_text", "publication", "forecast", "total", "item", "law", "ledger")
WORDS = {"item": "item", "period": "period", "demand": "demand"}


RESUMES = "trial as it is tested"


@dataclass(frozen=True, kw_only=True)
class Writer:
    """One kind of thing at one kind of place.

    Attributes
    ----------
    called : str
    home : Path
        The directory that nothing else may appear in.
    write : callable
        Given 0 or 1, writes that version.
    read : callable
        What can be read there, to be compared with `versions`.
    versions : tuple
        What is read of either.
    place : str
        Where it is.
    resumes : bool
        Whether a half written one is gone on with, and is nothing until then.
    """

    called: str
    home: Path
    write: Callable[[int], Any]
    read: Callable[[], Any]
    versions: tuple[Any, Any]
    place: str
    resumes: bool = False

    def stands(self) -> int | None:
        """Which version stands there; None for none, and for anything that is neither."""
        try:
            found = self.read()
        except (vx.VeridexError, OSError):
            return None
        return next((which for which, version in enumerate(self.versions) if found == version), None)

    def strays(self) -> list[str]:
        """What a writer must not leave: other files than the place, tables and rows of nobody."""
        if "://" not in self.place:
            mine = Path(self.place).name
            return sorted(path.name for path in self.home.iterdir() if path.name != mine)
        address = Address.of(self.place)
        known = {self.place.rpartition("/")[2].partition("?")[0]}
        left = [path.name for path in self.home.iterdir() if path.name not in known]
        with address.connected() as connection:
            ours = {name for name in sql.inspect(connection).get_table_names() if name.startswith(address.prefix)}
            for name in TABLES[3:]:
                rows = f"SELECT count(*) FROM {address.prefix}{name} WHERE publication NOT IN"
                found = connection.execute(sql.text(f"{rows} (SELECT number FROM {address.prefix}publication)"))
                left += [f"{name}: {number} rows of nobody" for (number,) in found if number]
        return left + sorted(ours - {f"{address.prefix}{name}" for name in TABLES})


def child(work: Callable[[], object]) -> int:
    """A process that has loaded everything, so that what befalls it hits the work; its exit code says how it went."""
    process = os.fork()
    if process == 0:
        code = BROKEN
        with tempfile.TemporaryFile("w+") as told, redirect_stdout(told), redirect_stderr(told):
            try:
                work()
                code = DONE
            except vx.VeridexError:
                code = REFUSED
            except BaseException:
                os.write(2, traceback.format_exc()[-600:].encode())
            finally:
                os._exit(code)
    return process


def waited(process: int) -> int:
    """The exit code of a process; negative where a signal ended it. One that hangs is an error."""
    for _ in range(HANGS * 500):
        ended, status = os.waitpid(process, os.WNOHANG)
        if ended:
            return os.waitstatus_to_exitcode(status)
        time.sleep(0.002)
    os.kill(process, signal.SIGKILL)
    os.waitpid(process, 0)
    raise RuntimeError(f"a writer was not done after {HANGS} s")


def seconds(work: Callable[[], object]) -> float:
    """How long a writer takes that nobody disturbs."""
    begun = time.perf_counter()
    waited(child(work))
    return time.perf_counter() - begun


def told(
    writers: Iterable[Writer],
    counts: Sequence[str],
    bars: Sequence[str],
    disturbed: Callable[[Writer], Mapping[str, int]],
) -> int:
    """Print a row of counts for each writer; how many counts are not zero that must be."""
    wrong = []
    print(f"| what is written | {' | '.join(counts)} |\n| --- |{' --- |' * len(counts)}")
    for writer in writers:
        count = disturbed(writer)
        print(f"| {writer.called} | {' | '.join(str(count[name]) for name in counts)} |", flush=True)
        wrong += [f"{writer.called}: {name}" for name in bars if count[name]]
    print("".join(f"harm: {one}\n" for one in wrong), end="")
    return len(wrong)


def history(seed: int) -> vx.History:
    """Demand of some items, other for each seed."""
    rng = np.random.default_rng(seed)
    many = [
        vx.History.from_numbers(100 + 10 * rng.random(MONTHS), start="2020-01", cadence="monthly", item=f"item-{k}")
        for k in range(ITEMS)
    ]
    return vx.History.of([one for each in many for one in each])


def published(seed: int) -> vx.Publication:
    """Forecasts of these items."""
    return vx.publish(history(seed), method="drift", horizon=3)


def _writer(
    called: str, home: Path, place: str, write: Callable[[int, str], Any], read: Callable[[str], Any]
) -> Writer:
    """One that knows what is read of either version when nobody disturbs it."""
    versions = []
    for which in (0, 1):
        write(which, place)
        versions.append(read(place))
    assert versions[0] != versions[1]
    return Writer(
        called=called,
        home=home,
        write=lambda which: write(which, place),
        read=lambda: read(place),
        versions=(versions[0], versions[1]),
        place=place,
        resumes=called == RESUMES,
    )


@contextmanager
def places_of(*, served: bool = True) -> Iterator[dict[str, tuple[Path, str]]]:
    """Every kind of place, of a server or not: the directory that nothing else may appear in, and the address."""
    named = {"CSV": "out", "Parquet": "out.parquet", "Excel": "out.xlsx", "SQLite": "out.db"}
    with tempfile.TemporaryDirectory() as directory, postgresql_server() if served else nullcontext() as server:
        found = {}
        for called in [*named, *(["PostgreSQL"] if served else [])]:
            home = Path(directory) / called
            home.mkdir()
            if called != "PostgreSQL":
                place = f"{home / named[called]}"
                found[called] = home, f"sqlite:///{place}?retain=2" if called == "SQLite" else place
            elif server is not None:
                found[called] = home, f"{server}&retain=2"
            else:
                print("PostgreSQL: no server can be started here, so it was left out.\n")
        yield found


@contextmanager
def publications(*, served: bool = True) -> Iterator[list[Writer]]:
    """A publication in every kind of place."""
    values = published(1), published(2)
    with places_of(served=served) as places:
        yield [
            _writer(
                called,
                home,
                place,
                lambda which, at: vx.write(values[which], at),
                lambda at: _tables(vx.read_publication(at)),
            )
            for called, (home, place) in places.items()
        ]


def _tables(value: vx.Publication) -> str:
    return "\n".join(table.to_csv() for table in (value.frame, value.totals, value.models))


@contextmanager
def others() -> Iterator[list[Writer]]:
    """Trials, histories, models and figures; and a trial that is written as it is tested."""
    mpl.use("Agg")
    many = history(1), history(2)
    trials = [vx.backtest(one, ["naive", "drift"], vx.RollingOrigin(horizon=2, origins=4)) for one in many]
    tidied = [vx.tidy(one) for one in many]
    models = [vx.fit(one["item-0"], "simple-smoothing") for one in many]

    def test(which: int, place: str) -> None:
        vx.backtest(many[which], ["naive", "drift"], vx.RollingOrigin(horizon=2, origins=4), to=place)

    kinds: dict[str, tuple[str, Callable[[int, str], Any], Callable[[str], Any]]] = {
        "trial, directory": ("trial", lambda k, at: vx.write(trials[k], at), _errors),
        "trial, Parquet": ("trial.parquet", lambda k, at: vx.write(trials[k], at), _errors),
        RESUMES: ("tests", test, _errors),
        "tidied history": ("tidied", lambda k, at: vx.write(tidied[k], at), lambda at: _rows(vx.read_history(at))),
        "history, CSV": (
            "history.csv",
            lambda k, at: vx.write(many[k], at),
            lambda at: _rows(vx.read_history(at, **WORDS)),
        ),
        "history, Parquet": (
            "history.parquet",
            lambda k, at: vx.write(many[k], at),
            lambda at: _rows(vx.read_history(at, **WORDS)),
        ),
        "fitted method": (
            "model.json",
            lambda k, at: vx.write(models[k], at),
            lambda at: vx.read_fitted(at).forecast(3).frame.to_csv(),
        ),
        "figure": (
            "figure.png",
            lambda k, at: vx.figures.save(vx.figures.history(many[k]["item-0"]), at),
            lambda at: Path(at).read_bytes(),
        ),
    }
    with tempfile.TemporaryDirectory() as directory:
        found = []
        for called, (name, write, read) in kinds.items():
            home = Path(directory) / called.replace(" ", "-")
            home.mkdir()
            found.append(_writer(called, home, str(home / name), write, read))
        yield found


def _errors(place: str) -> str:
    return vx.read_trial(place).errors.to_csv()


def _rows(value: vx.History) -> str:
    return value.to_frame().to_csv()
