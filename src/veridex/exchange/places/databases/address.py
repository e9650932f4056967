"""Addresses of databases: what they say to the driver, what they say to us, and how they are shown."""

import os
import re
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote

import sqlalchemy as sql

__all__ = ["FAILURES", "PATIENCE", "PREFIX", "Address", "AddressWrong"]

PREFIX = "veridex_"
"""What the names of our tables begin with where the address does not say it."""

FAILURES: tuple[type[Exception], ...] = (sql.exc.SQLAlchemyError, sqlite3.Error)
"""What goes wrong in a database: SQLAlchemy's own errors, and those of drivers where we talk to them directly."""
with suppress(ImportError):
    import psycopg

    FAILURES = (*FAILURES, psycopg.Error)

VARIABLE = re.compile(r"\$([A-Z_][A-Z0-9_]*)")
DRIVERS = {"sqlite": "sqlite", "postgresql": "postgresql+psycopg"}
SECRETS = ("passw", "pwd", "secret", "token", "passphrase", "credential")
"""What the name of a word of the query has in it that nobody may see."""

SQLITE_WORDS = {"uri", "mode", "cache", "immutable", "vfs", "timeout", "check_same_thread", "cached_statements"}
"""Words of the query that its driver takes."""

PATIENCE = 600
"""Seconds to wait for another writer, or for readers that do not let go."""


class AddressWrong(ValueError):
    """An address that says what cannot be; its text never has credentials in it."""


@dataclass(frozen=True)
class Address:
    """A database, and what of it is meant.

    Attributes
    ----------
    url : sqlalchemy.URL
    prefix : str
        What the names of our tables begin with.
    number : int or None
        Which of what is kept there is read; the newest where it is not said.
    retain : int or None
        How many of them are retained when another is written; all where it is not said.
    """

    url: sql.URL
    prefix: str = PREFIX
    number: int | None = None
    retain: int | None = None

    @classmethod
    def of(cls, text: str, *, to_read: bool = False) -> "Address":
        """Read an address; ``$NAME`` in it stands for a variable of the environment.

        Other databases than those that we write to are served where it is only to be read.

        Raises
        ------
        AddressWrong
            If it is none, or asks for what there is not.
        """
        if text.partition("://")[2].partition("/")[0].count("@") > 1:
            raise AddressWrong("a password with @ in it is written with %40 in its place, or as $NAME")
        try:
            url = sql.make_url(_filled(text))
        except (sql.exc.ArgumentError, ValueError) as problem:
            if isinstance(problem, AddressWrong):
                raise
            raise AddressWrong("this is no address; write sqlite:///file.db or postgresql://host/database") from None
        backend = url.get_backend_name()
        if backend not in DRIVERS and not to_read:
            raise AddressWrong(f"{backend} is not served; sqlite and postgresql are")
        if not url.database or url.database == ":memory:":
            raise AddressWrong("it names no database that stays")
        said = {name: url.query.get(name) for name in ("prefix", "number", "retain")}
        driver = DRIVERS.get(backend, url.drivername)  # one driver each, whose fast path we know
        prefix = PREFIX if said["prefix"] is None else str(said["prefix"])
        if not re.fullmatch(r"[a-z_][a-z0-9_]{0,19}", prefix):
            raise AddressWrong("a prefix is small letters, digits and _, up to 20 of them")
        own = url.difference_update_query([name for name, value in said.items() if value is not None])
        if backend == "sqlite" and (odd := sorted(set(own.query) - SQLITE_WORDS)):
            raise AddressWrong(f"SQLite knows no word {odd[0]!r}; ours are prefix, number and retain")
        return cls(
            own.set(drivername=driver), prefix, _whole("number", said["number"]), _whole("retain", said["retain"])
        )

    @property
    def backend(self) -> str:
        """The kind of database."""
        return self.url.get_backend_name()

    @property
    def shown(self) -> str:
        """As messages have it: the kind, the host and the database, and a prefix of its own."""
        host = self.url.host or ""
        port = f":{self.url.port}" if self.url.port else ""
        own = "" if self.prefix == PREFIX else f"?prefix={self.prefix}"
        return f"{self.backend}://{host}{port}/{self.url.database}{own}"

    @property
    def same(self) -> str:
        """What tells it from other places: of a SQLite file itself, since it has one writer."""
        if self.file is not None:
            return os.path.realpath(self.file)
        query = sorted((name, value) for name, value in self.url.query.items() if not _secret(name))
        return repr((self.backend, self.url.host, self.url.port, self.url.database, query, self.prefix))

    @property
    def file(self) -> Path | None:
        """The file of a SQLite database."""
        return Path(str(self.url.database)) if self.backend == "sqlite" else None

    def reason(self, problem: BaseException) -> str:
        """What went wrong, in the driver's words, without what is secret."""
        said = str(getattr(problem, "orig", None) or problem).strip().partition("\n")[0].rstrip(".")
        hidden = [value for name, value in self.url.query.items() if _secret(name)]
        for secret in (self.url.password, self.url.username, *hidden):
            if secret:
                said = said.replace(str(secret), "***")
        return said

    @contextmanager
    def connected(self) -> Iterator[sql.Connection]:
        """A connection that nobody else uses, and that is closed whatever happens.

        Raises
        ------
        AddressWrong
            If the driver is not installed.
        """
        # A SQLite file is made only by whoever writes, and nothing begins a transaction but we ourselves.
        local = {"isolation_level": None, "timeout": PATIENCE} if self.backend == "sqlite" else {}
        try:
            engine = sql.create_engine(self.url, poolclass=sql.pool.NullPool, connect_args=local)
        except ImportError:
            raise AddressWrong('PostgreSQL needs a driver: pip install "veridex-demand[postgresql]"') from None
        try:
            with engine.connect() as connection:
                yield connection
        finally:
            engine.dispose()


def _secret(name: str) -> bool:
    """Whether a word of the query holds what nobody may see."""
    return any(word in name.lower() for word in SECRETS)


def _filled(text: str) -> str:
    """An address with its variables in it: a user, a password or a word of the query stand in theirs as they are."""
    kind, mark, rest = text.partition("://")
    ends = re.search("[/?]", rest)
    cut = ends.start() if ends else len(rest)
    who, at, host = rest[:cut].rpartition("@")
    place, asks, query = rest[cut:].partition("?")
    plain = "".join(VARIABLE.sub(_variable, part) for part in (kind, mark))
    who, query = (VARIABLE.sub(lambda found: quote(_variable(found), safe=""), part) for part in (who, query))
    return f"{plain}{who}{at}{VARIABLE.sub(_variable, host + place)}{asks}{query}"


def _variable(found: re.Match[str]) -> str:
    value = os.environ.get(found[1])
    if value is None:
        raise AddressWrong(f"the environment has no {found[1]}")
    return value


def _whole(name: str, text: object) -> int | None:
    if text is None:
        return None
    if not str(text).isdecimal() or int(str(text)) < 1:
        raise AddressWrong(f"{name} is a whole number from 1 on")
    return int(str(text))
