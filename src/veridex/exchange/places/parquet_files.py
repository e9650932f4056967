"""Parquet: a directory with a file for each table, the head in the metadata of the first; or one file for one table."""

import hashlib
import json
import weakref
from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import Any, BinaryIO, Self

import pyarrow as pa
from pyarrow import parquet

from veridex.exchange.fingerprints import Fingerprint
from veridex.exchange.kept import Form, Found, Grouped, Kept, Layout, line_of
from veridex.exchange.places.directories import StagedDirectory, Torn, open_directory, refuse_directory
from veridex.exchange.places.paths import FilePlace, PathPlace
from veridex.exchange.places.place import Staged
from veridex.staged import StagedFile

__all__ = ["ParquetDirectory", "ParquetFile"]

HEAD, SEAL, FINGERPRINT = b"veridex", b"seal", b"fingerprint"


class ParquetDirectory(PathPlace):
    """A directory of Parquet files; see `Place`. Each part is a group of rows, so that no more is in memory."""

    def check(self, form: Form) -> None:
        """Refuse a directory with other files in it."""
        refuse_directory(self._target, set(_files(form)))

    def stage(self, kept: Kept) -> Staged:
        """Write the files beside the directory."""

        def fill(stage: Path) -> None:
            with ExitStack() as stack:
                writers = {}
                for number, one in enumerate(kept.layouts):
                    schema = one.schema.with_metadata(None if number else _metadata(kept.head))
                    writers[one.name] = stack.enter_context(_writer(stage / f"{one.file}.parquet", schema))
                for part in kept.parts():
                    for name, table in part.items():
                        writers[name].write_table(table.replace_schema_metadata(writers[name].schema.metadata))

        return StagedDirectory(self._target, fill)

    def head(self, form: Form) -> dict[str, Any] | None:
        """What the metadata say, where all files are as they were written."""
        try:
            with ExitStack() as stack:
                files = open_directory(self._target, _files(form))
                opened = [stack.enter_context(file) for file in files.values()]
                return _head(parquet.read_schema(opened[0]))
        except (OSError, ValueError, pa.ArrowException, Torn):
            return None

    def holds(self, form: Form) -> bool:
        """Whether the metadata of the first table say so."""
        return _holds(self._target / _files(form)[0], form)

    def found(self, form: Form) -> Found:
        """Open the files."""
        files = open_directory(self._target, _files(form))
        tables = _Groups(files)
        return Found(tables.head, tables.under(form.layouts(tables.head)))


class _Groups(Grouped):
    """Tables in open Parquet files; a group holds the rows that were written at once."""

    def __init__(self, files: Mapping[str, BinaryIO]) -> None:
        self._files = {name: parquet.ParquetFile(file) for name, file in files.items()}
        self._held: dict[str, tuple[parquet.ParquetFile, Sequence[str]]] = {}
        weakref.finalize(self, _close, list(files.values()))

    @property
    def head(self) -> dict[str, Any]:
        """What the metadata of the first say."""
        return _head(next(iter(self._files.values())).schema_arrow)

    def under(self, layouts: Sequence[Layout]) -> Self:
        """The tables by the names and columns that they have."""
        self._held = {one.name: (self._files[f"{one.file}.parquet"], one.schema.names) for one in layouts}
        return self

    def __getitem__(self, table: str) -> pa.Table:
        file, names = self._held[table]
        return file.read(columns=list(names)).select(list(names))

    def __iter__(self) -> Iterator[str]:
        return iter(self._held)

    def __len__(self) -> int:
        return len(self._held)

    def groups(self, table: str) -> int:
        """How many groups a table has."""
        return int(self._held[table][0].num_row_groups)

    def group(self, table: str, number: int, columns: Sequence[str] | None = None) -> pa.Table:
        """A group of a table, all of its columns or some."""
        file, names = self._held[table]
        wanted = list(names if columns is None else columns)
        return file.read_row_group(number, columns=wanted).select(wanted)


class ParquetFile(FilePlace):
    """One Parquet file with one table, its head in the metadata, sealed by checksums; see `Place`."""

    def stage(self, kept: Kept) -> Staged:
        """Write the file beside its place."""
        (layout,) = kept.layouts
        schema = layout.schema.with_metadata(_metadata(kept.head))
        sealed = Fingerprint(line_of(kept.head), kept.layouts)

        def write(path: Path) -> None:
            with _writer(path, schema) as writer:
                for part in kept.parts():
                    sealed.add(part)
                    writer.write_table(part[layout.name].replace_schema_metadata(schema.metadata))
                writer.add_key_value_metadata({FINGERPRINT: sealed.text.encode()})

        return StagedFile(self._target, write)

    def head(self, form: Form) -> dict[str, Any] | None:
        """What the metadata say, where they are as they were written."""
        try:
            return _head(parquet.read_schema(self._target))
        except (OSError, ValueError, pa.ArrowException, Torn):
            return None

    def holds(self, form: Form) -> bool:
        """Whether its metadata say so."""
        return _holds(self._target, form)

    def found(self, form: Form) -> Found:
        """Read the file."""
        file = parquet.ParquetFile(self._target, page_checksum_verification=True)
        head = _head(file.schema_arrow)
        (layout,) = form.layouts(head)
        table = file.read(columns=layout.schema.names)
        sealed = Fingerprint(line_of(head), (layout,))
        sealed.add({layout.name: table})
        if (file.metadata.metadata or {}).get(FINGERPRINT, b"").decode() != sealed.text:
            raise Torn("its rows are not what was written")
        return Found(head, {layout.name: table})


def _close(files: Sequence[BinaryIO]) -> None:
    for file in files:
        file.close()


def _files(form: Form) -> tuple[str, ...]:
    return tuple(f"{file}.parquet" for file in form.tables.values())


def _writer(path: Path, schema: pa.Schema) -> parquet.ParquetWriter:
    return parquet.ParquetWriter(path, schema, compression="zstd", write_page_checksum=True)


def _metadata(head: Mapping[str, Any]) -> dict[bytes, bytes]:
    """The head, and what it is known again by."""
    text = line_of(head).encode()
    return {HEAD: text, SEAL: hashlib.sha256(text).hexdigest().encode()}


def _holds(path: Path, form: Form) -> bool:
    """Whether a file's metadata say that it is of a form, changed or not."""
    try:
        said = json.loads((parquet.read_schema(path).metadata or {}).get(HEAD, b"{}"))
        return isinstance(said, dict) and said.get("format") == form.version
    except (OSError, ValueError, pa.ArrowException):
        return False


def _head(schema: pa.Schema) -> dict[str, Any]:
    said = schema.metadata or {}
    text = said.get(HEAD, b"{}")
    head = json.loads(text)
    if not isinstance(head, dict) or not head:
        raise ValueError("its metadata say nothing of Veridex")
    if said.get(SEAL) != hashlib.sha256(text).hexdigest().encode():
        raise Torn("its head was changed")
    return head
