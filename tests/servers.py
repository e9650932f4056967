"""A PostgreSQL server of our own, where its programs are installed."""

import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

WANTED = ("initdb", "pg_ctl")


@contextmanager
def postgresql_server() -> Iterator[str | None]:
    """The address of a server on a socket; None where there is none to start."""
    if any(shutil.which(program) is None for program in WANTED):
        yield None
        return
    home = Path(tempfile.mkdtemp(prefix="veridex-"))  # a socket's path must be short, and open to the server's user
    as_user = []
    if os.geteuid() == 0:  # the server refuses to run as root
        as_user = ["runuser", "-u", "postgres", "--"]
        shutil.chown(home, "postgres")

    def run(*words: str) -> None:
        subprocess.run([*as_user, *words], check=True, capture_output=True, cwd="/")

    data, listening = str(home / "data"), f"-c listen_addresses='' -k {home}"
    run("initdb", "-D", data, "-A", "trust", "-U", "planner", "--no-sync")
    run("pg_ctl", "-D", data, "-l", str(home / "log"), "-w", "-o", listening, "start")
    try:
        yield f"postgresql+psycopg://planner@/postgres?host={home}"
    finally:
        run("pg_ctl", "-D", data, "-m", "immediate", "stop")
        shutil.rmtree(home, ignore_errors=True)
