"""The real command where machines are odd: it does what it does elsewhere to the letter, or says in a line why not."""

import os
import resource
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

import veridex as vx

SECONDS = 240
MONTHS = 30
WORDS = ("--item", "sku", "--period", "month", "--demand", "units")
PUBLISH = ("publish", "demand.csv", *WORDS, "--method", "naive", "--horizon", "3", "--to", "out")
DRAW = ("publish", "demand.csv", *WORDS, "--method", "naive", "--horizon", "3", "--figures", "out")
TESTED = ("--methods", "naive, theta", "--horizon", "3", "--engine", "processes", "--to", "out")
TEST = ("backtest", "demand.csv", *WORDS, *TESTED)
PROFILE = ("profile", "demand.csv", *WORDS)

POWERLESS = ("setpriv", "--bounding-set", "-all", "--inh-caps", "-all")
"""Root as anybody else."""

QUIET = (0, 2)
"""Done, or refused with one message."""


@dataclass(frozen=True, kw_only=True)
class Odd:
    """What is odd about a machine.

    Attributes
    ----------
    words : tuple of str
        The command.
    python : tuple of str
        Options of Python itself.
    environ : mapping
        Variables; None takes one away.
    before : callable
        Called in the process before the command.
    output : callable
        What standard output is; by default it is read and compared.
    where : callable
        The directory to work in, of the one that was made.
    bound : bool
        Whether it may do only what the files' owners allow, with a package that nobody may write to.
    may_fail : bool
        Whether a refusal will do; else it must be done.
    """

    words: tuple[str, ...] = PUBLISH
    python: tuple[str, ...] = ()
    environ: Mapping[str, str | None] = field(default_factory=dict)
    before: Callable[[], object] = lambda: None
    output: str = ""
    bound: bool = False
    may_fail: bool = False


def limited(kind: int, most: int) -> Callable[[], None]:
    return lambda: resource.setrlimit(kind, (most, most))


def closed(*streams: int) -> Callable[[], None]:
    return lambda: [os.close(stream) for stream in streams] and None


def elsewhere() -> None:
    """Stand in a directory that is no longer there."""
    gone = tempfile.mkdtemp()
    os.chdir(gone)
    os.rmdir(gone)


def alone() -> None:
    os.sched_setaffinity(0, {min(os.sched_getaffinity(0))})


def odd_ones(full: Path | None) -> dict[str, Odd]:
    """Machines by what is odd about them."""
    homeless = {"HOME": "/nonexistent", "XDG_CACHE_HOME": None, "NUMBA_CACHE_DIR": None, "MPLCONFIGDIR": None}
    found = {
        "nothing can be kept": Odd(environ=homeless, bound=True),
        "nothing can be kept, figures": Odd(words=DRAW, environ=homeless, bound=True),
        "no home at all": Odd(environ={"HOME": None, "USER": None, "LOGNAME": None}),
        "the cache cannot be made": Odd(environ={"NUMBA_CACHE_DIR": "/proc/none"}),
        "one processor": Odd(words=TEST, before=alone),
        "one thread": Odd(environ={"OMP_NUM_THREADS": "1", "NUMBA_NUM_THREADS": "1"}),
        "threads in words": Odd(environ={"OMP_NUM_THREADS": "many", "OPENBLAS_NUM_THREADS": "-3"}),
        "plain C": Odd(environ={"LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONCOERCECLOCALE": "0"}, output="any"),
        "Turkish": Odd(environ={"LC_ALL": "tr_TR.UTF-8", "LANGUAGE": "tr"}),
        "no such locale": Odd(environ={"LC_ALL": "xx_XX"}),
        "output in ASCII": Odd(environ={"PYTHONIOENCODING": "ascii"}, output="any"),
        "output in an old code page": Odd(environ={"PYTHONIOENCODING": "cp437"}, output="any"),
        "data in an old code page": Odd(words=(*PUBLISH, "--as", "csv"), environ={"PYTHONIOENCODING": "cp437"}),
        "the first zone": Odd(environ={"TZ": "Pacific/Kiritimati"}),
        "half an hour": Odd(environ={"TZ": "America/St_Johns"}),
        "no such zone": Odd(environ={"TZ": "Nowhere/At_All"}),
        "no terminal named": Odd(environ={"TERM": None}),
        "a dumb terminal": Odd(environ={"TERM": "dumb"}),
        "colours forced": Odd(environ={"FORCE_COLOR": "1"}, may_fail=False, output="any"),
        "narrow": Odd(environ={"COLUMNS": "1"}, output="any"),
        "columns in words": Odd(environ={"COLUMNS": "wide"}, output="any"),
        "wide": Odd(environ={"COLUMNS": "100000"}, output="any"),
        "no place for temporary files": Odd(environ={"TMPDIR": "/nonexistent"}),
        "input closed": Odd(before=closed(0)),
        "output closed": Odd(before=closed(1), output="none"),
        "errors closed": Odd(before=closed(2)),
        "all closed": Odd(before=closed(0, 1, 2), output="none"),
        "a reader that goes": Odd(words=PROFILE, output="gone"),
        "errors full": Odd(words=("profile", "nothing.csv"), output="errors full", may_fail=True),
        "output full": Odd(words=PROFILE, output="full", may_fail=True),
        "the directory is gone": Odd(before=elsewhere, may_fail=True),
        "the directory is read-only": Odd(words=(*PUBLISH[:-1], "locked/out"), bound=True, may_fail=True),
        "the file is not ours": Odd(words=("profile", "locked/demand.csv", *WORDS), bound=True, may_fail=True),
        "nobody may read what is made": Odd(before=lambda: os.umask(0o777), may_fail=True),
        "few files": Odd(words=TEST, before=limited(resource.RLIMIT_NOFILE, 24), may_fail=True),
        "no large files": Odd(words=DRAW, before=limited(resource.RLIMIT_FSIZE, 9000), may_fail=True),
        "little memory": Odd(before=limited(resource.RLIMIT_AS, 900_000_000), may_fail=True),
        "without assertions": Odd(python=("-O",)),
        "without docstrings": Odd(python=("-OO",)),
        "warnings are errors": Odd(python=("-W", "error")),
        "isolated": Odd(python=("-I",)),
        "other hashes": Odd(environ={"PYTHONHASHSEED": "77"}),
        "no byte code": Odd(environ={"PYTHONDONTWRITEBYTECODE": "1"}),
    }
    if full is not None:
        found |= {
            "the cache is full": Odd(environ={"NUMBA_CACHE_DIR": str(full)}),
            "temporary files find it full": Odd(environ={"TMPDIR": str(full)}),
            "the disk is full": Odd(words=(*PUBLISH[:-1], str(full / "published")), may_fail=True),
            "the disk is full, figures": Odd(words=(*DRAW[:-1], str(full / "drawn")), may_fail=True),
            "the disk is full, tests": Odd(words=(*TEST[:-1], str(full / "tested")), may_fail=True),
        }
    return found


@contextmanager
def full_disk() -> Iterator[Path | None]:
    """A small disk with no room left; None where this user cannot mount one."""
    with tempfile.TemporaryDirectory() as directory:
        place = Path(directory)
        made = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=64k,mode=777", "tmpfs", place], capture_output=True)
        if made.returncode:
            yield None
            return
        try:
            with (place / "filler").open("wb", buffering=0) as file, suppress_full():
                while True:
                    file.write(b"x" * 1024)
            yield place
        finally:
            subprocess.run(["umount", place], check=True)


@contextmanager
def suppress_full() -> Iterator[None]:
    try:
        yield
    except OSError:
        return


def demand(home: Path) -> None:
    """The file that is read, and a directory that only its owner may use."""
    rng = np.random.default_rng(5)
    rows = [
        f"{item},{2022 + k // 12}-{k % 12 + 1:02d},{value}"
        for item in ("smoker-01", "Glühwein\u202e")
        for k, value in enumerate(np.rint(80.0 + 9.0 * rng.normal(size=MONTHS)).astype(int))
    ]
    home.chmod(0o777)
    (home / "demand.csv").write_text("\n".join(["sku,month,units", *rows]), encoding="utf-8")
    (home / "locked").mkdir()
    (home / "locked" / "demand.csv").write_text("sku,month,units\nsmoker-01,2024-01,3\n")
    for path in (home / "locked" / "demand.csv", home / "locked"):
        path.chmod(0o500 if path.is_dir() else 0o000)


def locked_package(place: Path) -> None:
    """The package where nobody may write, without anything compiled."""
    shutil.copytree(Path(vx.__file__).parent, place / "veridex", ignore=shutil.ignore_patterns("__pycache__"))
    for path in (place, *place.rglob("*")):
        path.chmod(0o555 if path.is_dir() else 0o444)


def called(odd: Odd, home: Path) -> tuple[int, str, str]:
    """Exit code, output and errors of the command on an odd machine."""
    environ = {name: value for name, value in (dict(os.environ) | odd.environ).items() if value is not None}
    environ.setdefault("COLUMNS", "100")
    words = [sys.executable, *odd.python, "-m", "veridex", *odd.words]
    if odd.bound:
        environ["PYTHONPATH"] = str(home.parent / "package")
        words = [*([] if os.getuid() else POWERLESS), *words]
    full = odd.output in ("full", "errors full")
    with Path("/dev/full" if full else os.devnull).open("wb") as sink:
        process = subprocess.Popen(
            words,
            cwd=home,
            env=environ,
            stdin=subprocess.DEVNULL,
            stdout=sink if odd.output in ("full", "none") else subprocess.PIPE,
            stderr=sink if odd.output == "errors full" else subprocess.PIPE,
            preexec_fn=odd.before,
        )
        if odd.output == "gone":
            assert process.stdout is not None
            process.stdout.close()
            process.stdout = None
        out, errors = process.communicate(timeout=SECONDS)
    return process.returncode, *((stream or b"").decode("utf-8", "replace") for stream in (out, errors))


def left(home: Path) -> str:
    """What was written, to the bit; a publication and a trial as they are read, else the names of files."""
    strangers = sorted(path.name for path in home.iterdir() if path.name not in ("demand.csv", "locked", "out"))
    if strangers:
        return f"left behind: {strangers}"
    if (home / "out" / "forecast.csv").exists():
        return vx.read_publication(home / "out").frame.to_csv()
    if (home / "out" / "history.parquet").exists():
        return vx.read_trial(home / "out").errors.to_csv()
    return str(sorted(path.name for path in home.glob("out/*")))


def outcome(odd: Odd, right: Mapping[tuple[str, ...], tuple[str, str]], directory: Path) -> str:
    """What became of it: as elsewhere, refused, or BROKEN."""
    home = Path(tempfile.mkdtemp(dir=directory))
    demand(home)
    try:
        code, out, errors = called(odd, home)
    except subprocess.TimeoutExpired:
        return f"BROKEN not done in {SECONDS} s"
    last = errors.strip().splitlines()[-1:] or [""]
    if "Traceback" in errors or "our fault" in errors or "Warning" in errors or "Exception ignored" in errors:
        return f"BROKEN {' ... '.join(errors.strip().splitlines()[-2:])[:300]}"
    if code not in QUIET or (code and not odd.may_fail):
        return f"BROKEN exit code {code}: {errors.strip()[-300:]}"
    if code and odd.output != "errors full" and errors.count("veridex: ") != 1:
        return f"BROKEN refused without one message: {errors.strip()[-300:]!r}"
    if code:
        return f"refused: {last[0][:120]}"
    told, published = right[odd.words]
    if left(home) != published:
        return f"BROKEN published otherwise: {left(home)[:100]!r}"
    return f"BROKEN said otherwise: {out[:300]!r}" if odd.output == "" and out != told else "as elsewhere"


def main(only: Sequence[str] = ()) -> int:
    """Print what became of all, or of some; how many broke."""
    wrong = 0
    with tempfile.TemporaryDirectory() as directory, full_disk() as full:
        place = Path(directory)
        place.chmod(0o777)
        locked_package(place / "package")
        machines = {name: odd for name, odd in odd_ones(full).items() if not only or name in only}
        right = {}
        for words in {odd.words for odd in machines.values()}:
            home = Path(tempfile.mkdtemp(dir=place))
            demand(home)
            code, out, errors = called(Odd(words=words), home)
            assert code in QUIET, errors
            right[words] = out, left(home)
        if full is None:
            print("No full disk: this user cannot mount one.")
        for name, odd in machines.items():
            said = outcome(odd, right, place)
            wrong += said.startswith("BROKEN")
            print(f"{name}: {said}", flush=True)
        print(f"{len(machines)} odd machines, {wrong} broken")
    return wrong


if __name__ == "__main__":
    main()
