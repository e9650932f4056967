"""Our tables in a database: made where they are not there, given columns they lack, refused where they are newer."""

from collections.abc import Iterable, Mapping
from typing import Any

import pyarrow as pa
import sqlalchemy as sql
from sqlalchemy.schema import CreateColumn, CreateIndex

from veridex.errors import StoreError
from veridex.exchange.kept import Form, Layout, is_text

__all__ = ["ROW", "Newer", "Tables"]

VERSION = 1
"""Of the schema. Columns and tables that are missing are added; whatever else changes is a new version."""

ROW = "row_number"
"""The column that keeps rows in order."""

COUNTED = "_counted"
"""What the column of periods is called where they are no stamps."""


class Newer(StoreError):
    """The tables were made by a later version."""


class Tables:
    """The tables of a form, by a prefix.

    Parameters
    ----------
    form : Form
    prefix : str
    layouts : iterable of Layout
    facts : mapping
        Plain values of the whole, which tell the types of their columns.
    """

    def __init__(
        self, form: Form, prefix: str, layouts: Iterable[Layout] = (), facts: Mapping[str, Any] | None = None
    ) -> None:
        self.form, self.prefix = form, prefix
        self.data = sql.MetaData()
        self.version = sql.Table(f"{prefix}schema", self.data, sql.Column("version", sql.BigInteger))
        self.long = sql.Table(
            f"{prefix}long_text",
            self.data,
            sql.Column("digest", sql.Text, primary_key=True),
            sql.Column("whole", sql.Text),
        )
        plain = [
            sql.Column(name, sql.Text if isinstance(value, str) else sql.BigInteger)
            for name, value in (facts or {}).items()
        ]
        self.head = sql.Table(
            f"{prefix}{form.kind}",
            self.data,
            sql.Column("number", sql.Integer, primary_key=True, autoincrement=False),
            *plain,
            *(sql.Column(name, sql.Text) for name in ("format", "fingerprint", "head")),
        )
        self.rows = {one.name: self._table(one) for one in layouts}

    def _table(self, layout: Layout) -> sql.Table:
        """A table with a row's number, whose the row is, and the columns of the layout."""
        name = f"{self.prefix}{layout.name}"
        columns = [sql.Column(column_name(one), _type(one.type)) for one in layout.schema]
        indexes = [
            sql.Index(f"{name}_by_{'_'.join(names or (self.form.kind,))}", self.form.kind, *names)
            for names in (tuple(column_name(layout.schema.field(one)) for one in own) for own in layout.indexes)
        ]
        own = sql.Column(self.form.kind, sql.Integer, nullable=False)
        return sql.Table(name, self.data, own, sql.Column(ROW, sql.Integer), *columns, *indexes)

    @property
    def views(self) -> dict[str, str]:
        """Views of what is newest, and what they select."""
        kind = self.form.kind
        newest = f"SELECT max(number) FROM {self.head.name}"
        return {
            f"{self.prefix}newest_{name}": f"SELECT * FROM {self.prefix}{name} WHERE {kind} = ({newest})"
            for name in self.form.newest
        }

    def refuse_newer(self, connection: sql.Connection) -> None:
        """Raise `Newer` where the tables are of a later version."""
        if sql.inspect(connection).has_table(self.version.name):
            version = connection.execute(sql.select(sql.func.max(self.version.c.version))).scalar()
            if version is not None and version > VERSION:
                raise Newer(f"its tables are of version {version}, and this Veridex knows version {VERSION}")

    def settle(self, connection: sql.Connection) -> None:
        """Make what is missing: tables, columns, indexes, views.

        Raises
        ------
        Newer
            If the tables are of a later version.
        """
        self.refuse_newer(connection)
        seen = sql.inspect(connection)
        there = {name: self._columns_of(seen, name) for name in self.data.tables if seen.has_table(name)}
        self.data.create_all(connection, checkfirst=True)
        changed = not there
        for name, columns in there.items():
            table = self.data.tables[name]
            quoted = connection.dialect.identifier_preparer.format_table(table)
            for one in table.columns:
                if one.name not in columns:
                    made = CreateColumn(one).compile(dialect=connection.dialect)
                    connection.exec_driver_sql(f"ALTER TABLE {quoted} ADD COLUMN {made}")
                    changed = True
            known = {index["name"] for index in seen.get_indexes(name)}
            for index in table.indexes:
                if index.name not in known:
                    connection.execute(CreateIndex(index))
        views = set(seen.get_view_names())
        for name, select in self.views.items():
            if changed or name not in views:
                if connection.dialect.name == "sqlite":
                    connection.exec_driver_sql(f"DROP VIEW IF EXISTS {name}")
                replaced = "" if connection.dialect.name == "sqlite" else "OR REPLACE "
                connection.exec_driver_sql(f"CREATE {replaced}VIEW {name} AS {select}")
        if connection.execute(sql.select(sql.func.max(self.version.c.version))).scalar() != VERSION:
            connection.execute(self.version.delete())
            connection.execute(self.version.insert().values(version=VERSION))

    @staticmethod
    def _columns_of(seen: sql.Inspector, name: str) -> set[str]:
        return {str(one["name"]) for one in seen.get_columns(name)}


def column_name(one: pa.Field) -> str:
    """What a column is called in a database: periods that are counted have one of their own beside the stamps."""
    return f"{one.name}{COUNTED}" if one.name == "period" and pa.types.is_integer(one.type) else one.name


def _type(kind: pa.DataType) -> sql.types.TypeEngine[Any]:
    if is_text(kind) or (pa.types.is_list(kind) and is_text(kind.value_type)):
        return sql.Text()
    if pa.types.is_boolean(kind):
        return sql.Boolean()
    if pa.types.is_integer(kind):
        return sql.BigInteger()
    if pa.types.is_floating(kind):
        return sql.Double()
    return sql.DateTime() if pa.types.is_timestamp(kind) else sql.LargeBinary()
