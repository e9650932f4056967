"""A database as a place: one transaction for all that is written, and what was there before stays."""

import json
from collections.abc import Callable, Iterator, Mapping
from contextlib import ExitStack, contextmanager
from typing import Any

import pyarrow as pa
import sqlalchemy as sql

from veridex.errors import DestinationRefused
from veridex.exchange.fingerprints import Fingerprint
from veridex.exchange.kept import Form, Found, Kept, line_of
from veridex.exchange.places.databases.address import FAILURES, PATIENCE, Address, AddressWrong
from veridex.exchange.places.databases.rows import Loader, selected
from veridex.exchange.places.databases.schema import Newer, Tables
from veridex.exchange.places.directories import Torn
from veridex.exchange.places.place import Staged
from veridex.staged import refuse_file

__all__ = ["Database"]

CACHE = 65_536
"""Kilobytes of pages that SQLite may hold before it writes them out, which costs a wait for the disk each time."""


class Database:
    """A SQLite file or a PostgreSQL database; see `Place`.

    Parameters
    ----------
    address : str

    Raises
    ------
    DestinationRefused
        If it is no address.
    """

    numbered = waits = True

    def __init__(self, address: str) -> None:
        try:
            self._address = Address.of(address)
        except AddressWrong as problem:
            scheme = address.partition("://")[0]
            raise DestinationRefused(f"{scheme}://...", str(problem), "Write it as docs/formats.md has it.") from None
        self.shown, self.same = self._address.shown, self._address.same

    def check(self, form: Form) -> None:
        """Refuse a database that cannot be reached, or whose tables are of a later version."""
        if self._address.number is not None:
            self._refuse("number chooses what is read, and this is written", "Leave it out.")
        file = self._address.file
        if file is not None:
            refuse_file(file)
            if not file.exists():
                return
        with self._spoken(), self._address.connected() as connection:
            Tables(form, self._address.prefix).refuse_newer(connection)

    def room(self, rows: Mapping[str, int]) -> None:
        """There is always room."""

    def stage(self, kept: Kept) -> Staged:
        """Write everything in a transaction that is not committed."""
        file = self._address.file
        if file is not None:
            file.parent.mkdir(parents=True, exist_ok=True)
        with self._spoken():
            return _StagedRows(self._address, kept, self._spoken)

    def head(self, form: Form) -> dict[str, Any] | None:
        """What is said of the one that is meant."""
        try:
            with self._reading() as connection:
                said = self._row(connection, Tables(form, self._address.prefix))
                return None if said is None else dict(json.loads(said.head))
        except (OSError, ValueError):
            return None

    def holds(self, form: Form) -> bool:
        """Whether one of this form is there."""
        return self.head(form) is not None

    def occupied(self, form: Form) -> bool:
        """Whether one of this form is there."""
        return self.holds(form)

    def numbers(self, form: Form) -> tuple[int, ...]:
        """The numbers of all that is kept there, the oldest first."""
        with self._reading() as connection:
            head = Tables(form, self._address.prefix).head
            if not sql.inspect(connection).has_table(head.name):
                return ()
            return tuple(connection.execute(sql.select(head.c.number).order_by(head.c.number)).scalars())

    def found(self, form: Form) -> Found:
        """Read all rows of the one that is meant, as they stood at one moment."""
        with self._reading() as connection:
            tables = Tables(form, self._address.prefix)
            tables.refuse_newer(connection)
            said = self._row(connection, tables)
            if said is None:
                which = "none" if self._address.number is None else f"no number {self._address.number}"
                raise ValueError(f"there is {which} in it")
            head = json.loads(said.head)
            layouts = form.layouts(head)
            tables = Tables(form, self._address.prefix, layouts)
            sealed = Fingerprint(line_of(head), layouts)
            found = {}
            for one in layouts:
                parts = list(selected(connection, tables, one, said.number))
                for part in parts:
                    sealed.add({one.name: part})
                found[one.name] = pa.concat_tables(parts).unify_dictionaries() if parts else one.schema.empty_table()
            if sealed.text != said.fingerprint:
                raise Torn("its rows are not what was written")
        return Found(head, found)

    def _row(self, connection: sql.Connection, tables: Tables) -> Any:
        """What is said of the one that is meant; None where there is none."""
        if not sql.inspect(connection).has_table(tables.head.name):
            return None
        asked = sql.select(tables.head.c.number, tables.head.c.fingerprint, tables.head.c.head).order_by(
            tables.head.c.number.desc()
        )
        if self._address.number is not None:
            asked = asked.where(tables.head.c.number == self._address.number)
        return connection.execute(asked.limit(1)).first()

    @contextmanager
    def _reading(self) -> Iterator[sql.Connection]:
        """A connection that sees one moment; what goes wrong is a ValueError in words."""
        file = self._address.file
        if file is not None and not file.is_file():
            raise FileNotFoundError("there is no such file")
        try:
            with self._address.connected() as connection:
                if file is None:
                    connection = connection.execution_options(isolation_level="REPEATABLE READ")
                else:
                    connection.exec_driver_sql("BEGIN")
                yield connection
        except FAILURES as problem:
            raise ValueError(self._address.reason(problem)) from None

    @contextmanager
    def _spoken(self, remedy: str = "Nothing was written.") -> Iterator[None]:
        """What goes wrong is said by the name of the place."""
        try:
            yield
        except (AddressWrong, Newer) as problem:
            self._refuse(str(problem), remedy)
        except DestinationRefused:
            raise
        except OSError as problem:
            self._refuse(problem.strerror or str(problem), remedy)
        except FAILURES as problem:
            self._refuse(self._address.reason(problem), remedy)

    def _refuse(self, problem: str, remedy: str) -> None:
        raise DestinationRefused(self.shown, problem, remedy) from None


class _StagedRows:
    """What was written in a transaction; see `Staged`."""

    def __init__(self, address: Address, kept: Kept, spoken: Callable[..., Any]) -> None:
        self._address, self._form, self._spoken = address, kept.form, spoken
        self._tables = Tables(kept.form, address.prefix, kept.layouts, kept.facts)
        self._stack = ExitStack()
        self._committed, self._stays = False, True
        self._connection = self._stack.enter_context(address.connected())
        try:
            _begin(self._connection, address.prefix)
            self._tables.settle(self._connection)
            head = self._tables.head
            newest = self._connection.execute(sql.select(sql.func.max(head.c.number))).scalar()
            self._number = int(newest or 0) + 1
            self._load(kept)
        except BaseException:
            self.close()
            raise

    def _load(self, kept: Kept) -> None:
        layouts = kept.layouts
        said = line_of(kept.head)
        sealed = Fingerprint(said, layouts)
        with Loader(self._connection, self._tables, layouts, self._number) as loader:
            for part in loader.early(kept.parts()):
                sealed.add(part)
                for name, table in part.items():
                    loader.add(name, table)
            loader.end()
        whole = {**kept.facts, "format": kept.form.version, "fingerprint": sealed.text, "head": said}
        self._connection.execute(self._tables.head.insert().values(number=self._number, **whole))

    def _prune(self, retain: int) -> None:
        """Let go of all but the newest."""
        head = self._tables.head
        oldest = sql.select(head.c.number).order_by(head.c.number.desc()).limit(retain).offset(retain - 1)
        with self._written() as connection:
            least = connection.execute(oldest).scalar()
            if least is not None:
                self._forget(connection, lambda column: column < least)

    def _forget(self, connection: sql.Connection, which: Callable[[Any], Any]) -> None:
        for table in self._tables.rows.values():
            connection.execute(table.delete().where(which(table.c[self._form.kind])))
        connection.execute(self._tables.head.delete().where(which(self._tables.head.c.number)))

    @contextmanager
    def _written(self) -> Iterator[sql.Connection]:
        """A transaction of its own."""
        with self._address.connected() as connection:
            _begin(connection, self._address.prefix)
            yield connection
            connection.commit()

    def commit(self) -> None:
        """Let everybody see it."""
        with self._spoken():
            self._connection.commit()
        self._committed = True

    def undo(self) -> None:
        """Take it out again."""
        with self._written() as connection:
            self._forget(connection, lambda column: column == self._number)
        self._stays = False

    def close(self) -> None:
        """Without a commit nothing was written; with one that stays, older ones may go."""
        try:
            if not self._committed:
                self._connection.rollback()
        except FAILURES:
            pass  # a connection that is lost has forgotten it already
        self._stack.close()
        if self._committed and self._stays and self._address.retain is not None:
            with self._spoken("It was written; older ones were not pruned."):
                self._prune(self._address.retain)


def _begin(connection: sql.Connection, prefix: str) -> None:
    """Begin a transaction that waits for the other writers of these tables."""
    if connection.dialect.name == "sqlite":
        connection.exec_driver_sql(f"PRAGMA cache_size = -{CACHE}")
        connection.exec_driver_sql("BEGIN IMMEDIATE")
    else:
        connection.exec_driver_sql(f"SET LOCAL lock_timeout = '{PATIENCE}s'")
        connection.execute(sql.text("SELECT pg_advisory_xact_lock(hashtext('veridex'), hashtext(:p))"), {"p": prefix})
