"""Tables from wherever they are kept: CSV and the like, Parquet, Excel, SQL, standard input."""

import zipfile
from collections.abc import Sequence
from pathlib import Path

import pandas as pd
import pyarrow as pa
from pyarrow import parquet

from veridex.errors import FileUnreadable, ParameterError
from veridex.exchange.texts import Source, read_csv, refuse_no_file

__all__ = ["read_source"]


def read_source(
    source: str | Path,
    keep: Sequence[str] | None,
    numbers: Sequence[str],
    *,
    table: str | None,
    query: str | None,
    sheet: str | None,
    delimiter: str | None,
    encoding: str | None,
) -> Source:
    """Read a table from a file, a folder of Parquet parts, a database address or standard input (``-``).

    Parameters
    ----------
    source : str or Path
    keep : sequence of str, optional
        Columns wanted, if they are all there; all of them otherwise.
    numbers : sequence of str
        Columns that should hold numbers.
    table, query : str, optional
        Which table, or what to ask, of a database.
    sheet : str, optional
        Which sheet of a workbook; by default the first.
    delimiter, encoding : str, optional
        Of a CSV file; found out if not stated.

    Raises
    ------
    FileUnreadable, ParameterError
    """
    if isinstance(source, str) and "://" in source:
        return _read_sql(source, table, query)
    if table is not None or query is not None:
        raise ParameterError("table", repr(table or query), "only a database address such as sqlite:///shop.db has it")
    path = Path(source)
    if str(source) != "-":
        refuse_no_file(path)
        if path.is_dir() or path.suffix.lower() in (".parquet", ".pq"):
            return _read_parquet(path, keep)
        if path.suffix.lower() in (".xlsx", ".xlsm"):
            return _read_excel(path, sheet)
    if sheet is not None:
        raise ParameterError("sheet", repr(sheet), "only an Excel workbook (.xlsx) has sheets")
    return read_csv(source, keep, numbers, delimiter, encoding)


def _read_parquet(path: Path, keep: Sequence[str] | None) -> Source:
    try:
        names = parquet.ParquetDataset(path).schema.names
        wanted = list(dict.fromkeys(keep)) if keep is not None and set(keep) <= set(names) else None
        frame: pd.DataFrame = parquet.read_table(path, columns=wanted).to_pandas()
    except (pa.ArrowInvalid, OSError) as problem:
        reason = str(problem).splitlines()[0].rstrip(".")
        raise FileUnreadable(str(path), f"this is no Parquet ({reason})", "Name a Parquet file or folder.") from None
    return Source(frame, str(path), 1)


def _read_excel(path: Path, sheet: str | None) -> Source:
    try:
        frame = pd.read_excel(path, sheet_name=0 if sheet is None else sheet, dtype=object, engine="openpyxl")
    except (zipfile.BadZipFile, KeyError, OSError) as problem:
        raise FileUnreadable(str(path), f"this is no Excel workbook ({problem})", "Save it again as .xlsx.") from None
    except ValueError as problem:
        raise FileUnreadable(str(path), str(problem).rstrip("."), "Name one of its sheets with sheet=.") from None
    return Source(frame, str(path), 2)


def _read_sql(address: str, table: str | None, query: str | None) -> Source:
    """Read a table, or the answer to a query, through SQLAlchemy."""
    import sqlalchemy as sql

    if (table is None) == (query is None):
        raise ParameterError("table", repr(table), "a database needs either table= or query=")
    try:
        url = sql.make_url(address)
        label = url.render_as_string(hide_password=True)
        if url.get_backend_name() == "sqlite" and url.database and not Path(url.database).exists():
            raise FileUnreadable(label, "there is no such database file")
        # Without a pool, no connection outlives its use, whatever fails.
        engine = sql.create_engine(url, poolclass=sql.pool.NullPool)
        with engine.connect() as connection:
            if table is not None:
                frame = pd.read_sql_table(table, connection)
            else:
                frame = pd.read_sql_query(sql.text(str(query)), connection)
    except (sql.exc.SQLAlchemyError, pd.errors.DatabaseError, ImportError, ValueError) as problem:
        reason = str(problem).splitlines()[0].rstrip(".")
        raise FileUnreadable(address.partition("@")[2] or address, reason, "Check the address and the table.") from None
    return Source(frame, f"{label}, {'table ' + table if table else 'query'}", 1)
