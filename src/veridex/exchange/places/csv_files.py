"""CSV: a directory with a file for each table and one for the head; or one file for a table alone."""

import io
import json
from collections.abc import Mapping
from contextlib import ExitStack
from pathlib import Path
from typing import Any, TextIO

import numpy as np
import pandas as pd
import pyarrow as pa
from pyarrow import csv

from veridex.exchange.kept import LIST, Form, Found, Kept, Layout, Part, is_day, line_of
from veridex.exchange.places.directories import StagedDirectory, Torn, read_directory, refuse_directory
from veridex.exchange.places.paths import FilePlace, PathPlace
from veridex.exchange.places.place import Staged
from veridex.staged import StagedFile

__all__ = ["CsvDirectory", "CsvFile"]

BLOCK = 1 << 24
"""Bytes that are read at once: each row must fit."""

WORDS = {pa.int64(): pd.Int64Dtype(), pa.bool_(): pd.BooleanDtype()}


class CsvDirectory(PathPlace):
    """A directory of CSV files; see `Place`. The records of a table stand in the file of the head, one on each line."""

    def check(self, form: Form) -> None:
        """Refuse a directory with other files in it."""
        refuse_directory(self._target, {*_files(form), form.head_file})

    def stage(self, kept: Kept) -> Staged:
        """Write the files beside the directory."""
        return StagedDirectory(self._target, lambda stage: _fill(stage, kept))

    def head(self, form: Form) -> dict[str, Any] | None:
        """What the head's file says, where all files are as they were written."""
        try:
            held = read_directory(self._target, (form.head_file, *_files(form)))
            head = json.loads(held[form.head_file])
            return head if isinstance(head, dict) else None
        except (OSError, ValueError, Torn):
            return None

    def holds(self, form: Form) -> bool:
        """Whether its head says so."""
        try:
            said = json.loads((self._target / form.head_file).read_text(encoding="utf-8"))
            return isinstance(said, dict) and said.get("format") == form.version
        except (OSError, ValueError):
            return False

    def found(self, form: Form) -> Found:
        """Read the files."""
        held = read_directory(self._target, (form.head_file, *_files(form)))
        head = json.loads(held[form.head_file])
        layouts = form.layouts(head)
        tables = {one.name: _read(held[f"{one.file}.csv"], one.schema) for one in layouts if one.record is None}
        for one in layouts:
            if one.record is not None:
                tables[one.name] = _recorded(head.pop(one.file), one)
        return Found(head, tables)


class CsvFile(FilePlace):
    """One CSV file with one table, without a head; see `Place`."""

    def stage(self, kept: Kept) -> Staged:
        """Write the file beside its place."""

        def write(path: Path) -> None:
            with path.open("w", encoding="utf-8", newline="") as file:
                table = _Rows(file)
                for part in kept.parts():
                    table.add(part[kept.layouts[0].name])

        return StagedFile(self._target, write)

    def head(self, form: Form) -> dict[str, Any] | None:
        """There is none."""
        return None

    def holds(self, form: Form) -> bool:
        """Nothing says so."""
        return False

    def found(self, form: Form) -> Found:
        """Nothing says what the numbers of a bare table are."""
        raise ValueError(f"a bare CSV file holds no head of {form.called}")


def _files(form: Form) -> list[str]:
    """The files of tables, but for one of records."""
    return [f"{file}.csv" for name, file in form.tables.items() if name not in form.recorded]


def _fill(stage: Path, kept: Kept) -> None:
    """Write all tables and the head, part by part."""
    plain = [one for one in kept.layouts if one.record is None]
    recorded = next((one for one in kept.layouts if one.record is not None), None)
    with ExitStack() as stack:

        def opened(name: str) -> TextIO:
            return stack.enter_context((stage / name).open("w", encoding="utf-8", newline=""))

        rows = {one.name: _Rows(opened(f"{one.file}.csv")) for one in plain}
        head = _Head(opened(kept.form.head_file), kept.head, recorded)
        for part in kept.parts():
            for name, table in rows.items():
                if name in part:
                    table.add(part[name])
            head.add(part)
        head.end()


class _Rows:
    """A CSV file that grows."""

    def __init__(self, file: TextIO) -> None:
        self._file = file
        self._begun = False

    def add(self, table: pa.Table) -> None:
        """Write rows behind the others, under the names of the columns."""
        frame = table.to_pandas(types_mapper=WORDS.get, ignore_metadata=True)
        for one in table.schema:
            if pa.types.is_timestamp(one.type):
                stamps = np.asarray(table[one.name].to_numpy(), dtype="datetime64[s]")
                frame[one.name] = np.datetime_as_string(stamps, unit="D" if is_day(one) else "m")
            elif pa.types.is_large_list(one.type):
                frame[one.name] = [" ".join(map(str, numbers)) for numbers in table[one.name].to_pylist()]
        frame.to_csv(self._file, index=False, lineterminator="\n", header=not self._begun)
        self._begun = True


class _Head:
    """The file of the head, as text that people can look through: a record stands on its line."""

    def __init__(self, file: TextIO, head: Mapping[str, Any], recorded: Layout | None) -> None:
        self._file, self._recorded = file, recorded
        self._begun = False
        file.write("{\n " + ",\n ".join(f'"{key}": {line_of(value)}' for key, value in head.items()))
        if recorded is not None:
            file.write(f',\n "{recorded.file}": {{')

    def add(self, part: Part) -> None:
        """Write records behind the others."""
        if self._recorded is None or self._recorded.name not in part:
            return
        table = part[self._recorded.name]
        keys, records = table[0].to_pylist(), table[str(self._recorded.record)].to_pylist()
        for key, record in zip(keys, records, strict=True):
            self._file.write(f"{',' if self._begun else ''}\n  {line_of(key)}: {record}")
            self._begun = True

    def end(self) -> None:
        """Close what is open."""
        self._file.write("\n }\n}\n" if self._recorded is not None else "\n}\n")


def _read(content: bytes, schema: pa.Schema) -> pa.Table:
    """A table of a file; digits come back to the bit."""
    lists = [one.name for one in schema if pa.types.is_large_list(one.type)]
    converting = csv.ConvertOptions(
        column_types={one.name: pa.string() if one.name in lists else one.type for one in schema},
        include_columns=schema.names,
        null_values=[""],
        strings_can_be_null=False,
        true_values=["True"],
        false_values=["False"],
    )
    parsing = csv.ParseOptions(newlines_in_values=True)
    reading = csv.ReadOptions(block_size=max(BLOCK, min(len(content), 1 << 30)))
    table = csv.read_csv(io.BytesIO(content), reading, parsing, converting)
    for name in lists:
        numbers = [[float(one) for one in (text or "").split()] for text in table[name].to_pylist()]
        table = table.set_column(schema.names.index(name), schema.field(name), pa.array(numbers, LIST))
    return table


def _recorded(records: Mapping[str, Any], layout: Layout) -> pa.Table:
    """A table of records as far as they say it: their keys and themselves."""
    key = layout.schema.names[0]
    columns = {key: list(records), str(layout.record): [line_of(one) for one in records.values()]}
    return pa.table(
        {name: pa.array(values, pa.string()).cast(layout.schema.field(name).type) for name, values in columns.items()}
    )
