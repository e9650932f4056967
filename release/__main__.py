"""Build the wheel and the source archive, check both, and try the wheel where nothing else is.

`python -m release` builds into dist/, checks what the index page will show, installs the wheel into clean environments
(the lowest versions of dependencies on the oldest Python, the newest on the newest one found) and runs the demo there
with an empty home. `--all` takes every Python found, and runs the source archive's own tests.
"""

import argparse
import os
import shutil
import subprocess
import sys
import tarfile
import tempfile
import time
import tomllib
from pathlib import Path

ROOT = Path(__file__).parents[1]
DIST = ROOT / "dist"
PROJECT = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]

PYTHONS = ("3.11", "3.12", "3.13", "3.14")
"""From the oldest that is served to the newest that numba serves."""

SAID = ("units are expected in 2025-09", "Picture: demo/figures/smoker-01-forecast.png", "30 items published")


def main() -> None:
    """Build and try everything; the first thing that is wrong ends it."""
    words = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    words.add_argument("--all", action="store_true", help="every Python found, and the tests of the source archive")
    asked = words.parse_args()
    shutil.rmtree(DIST, ignore_errors=True)
    done(sys.executable, "-m", "build", "--outdir", str(DIST), str(ROOT))
    wheel, sources = (next(DIST.glob(pattern)) for pattern in ("*.whl", "*.tar.gz"))
    done(sys.executable, "-m", "twine", "check", "--strict", str(wheel), str(sources))
    found = {version: path for version in PYTHONS if (path := interpreter(version)) is not None}
    print(f"Python {', '.join(found)} found; not here: {', '.join(set(PYTHONS) - set(found)) or 'none'}.", flush=True)
    oldest, newest = next(iter(found)), next(reversed(found))
    for version in found if asked.all else dict.fromkeys((oldest, newest)):
        try_wheel(wheel, version, found[version], lowest=version == oldest)
    if asked.all:
        try_sources(sources)


def try_wheel(wheel: Path, version: str, python: str, *, lowest: bool) -> None:
    """Install the wheel alone and run the demo, as a newcomer does."""
    with tempfile.TemporaryDirectory() as directory:
        place = Path(directory)
        (place / "home").mkdir()
        (place / "lowest.txt").write_text("\n".join(one.replace(">=", "==") for one in PROJECT["dependencies"]))
        done(python, "-m", "venv", str(place / "venv"))
        limits = ("--constraint", str(place / "lowest.txt")) if lowest else ()
        done(str(place / "venv/bin/pip"), "install", "--quiet", "--disable-pip-version-check", str(wheel), *limits)
        begun = time.monotonic()
        bare = {
            "HOME": str(place / "home"),
            "PATH": f"{place}/venv/bin:/usr/bin:/bin",
            "COLUMNS": "80",
            "LANG": "C.UTF-8",
        }
        said = done("veridex", "demo", "demo", cwd=place, env=bare)
        flat = " ".join(said.split())
        assert all(words in flat for words in SAID), said
        which = "lowest" if lowest else "newest"
        print(f"Python {version}, {which} dependencies: the demo ran in {time.monotonic() - begun:.0f} s.", flush=True)


def try_sources(sources: Path) -> None:
    """Unpack the source archive and run its tests with what it says it needs."""
    with tempfile.TemporaryDirectory() as directory:
        with tarfile.open(sources) as archive:
            archive.extractall(directory, filter="data")
        place = next(Path(directory).iterdir())
        done("make", "test", cwd=place, env=dict(os.environ))
        print("The tests of the source archive passed.", flush=True)


def interpreter(version: str) -> str | None:
    """A Python of a version that runs: on the path, or among those that a version manager keeps."""
    kept = sorted(Path(os.environ.get("PYENV_ROOT", Path.home() / ".pyenv")).glob(f"versions/{version}.*/bin/python3"))
    for path in (shutil.which(f"python{version}"), *map(str, kept)):
        if path and subprocess.run([path, "-c", "import ensurepip"], check=False, capture_output=True).returncode == 0:
            return path
    return None


def done(*words: str, cwd: Path | None = None, env: dict[str, str] | None = None) -> str:
    """What a command prints; one that fails ends all of it with what it said."""
    ended = subprocess.run(words, cwd=cwd, env=env, check=False, capture_output=True, text=True)
    if ended.returncode:
        sys.exit(f"{' '.join(words)} failed:\n{ended.stdout}{ended.stderr}")
    return ended.stdout


if __name__ == "__main__":
    main()
