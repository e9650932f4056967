"""The hidden sheet of a workbook: the head, tables that are no matter for people, and the seals of all others."""

import base64
import json
import zlib
from collections.abc import Mapping, Sequence
from typing import Any

import pyarrow as pa
from xlsxwriter.worksheet import Worksheet

__all__ = ["SHEET", "Hidden", "read_hidden", "write_hidden"]

SHEET = "Kept"
PIECE = 32_000
"""Letters of a piece: a cell holds few more."""

HEAD, SEALS = "head", "seals"


class Hidden:
    """What a hidden sheet says.

    Parameters
    ----------
    texts : mapping of str to str
        By name, the pieces put together.
    """

    def __init__(self, texts: Mapping[str, str]) -> None:
        self._texts = texts

    @property
    def head(self) -> dict[str, Any]:
        """What is said of the whole."""
        return dict(json.loads(_unpacked(self._texts[HEAD])))

    @property
    def seals(self) -> dict[str, str]:
        """The seals of the other sheets."""
        return dict(json.loads(_unpacked(self._texts[SEALS])))

    def table(self, name: str) -> pa.Table:
        """A table that stands here alone."""
        with pa.ipc.open_stream(_unpacked(self._texts[name])) as stream:
            return stream.read_all()


def write_hidden(
    sheet: Worksheet, head: str, tables: Mapping[str, Sequence[pa.Table]], seals: Mapping[str, str]
) -> None:
    """Write it: a name, the number of a piece, and the piece."""
    sheet.hide()
    packed = {HEAD: _packed(head.encode()), SEALS: _packed(json.dumps(seals).encode())}
    packed |= {name: _packed(_streamed(parts)) for name, parts in tables.items()}
    row = 0
    for name, text in packed.items():
        for number, first in enumerate(range(0, len(text), PIECE)):
            sheet.write_string(row, 0, name)
            sheet.write_number(row, 1, number)
            sheet.write_string(row, 2, text[first : first + PIECE])
            row += 1


def read_hidden(rows: Sequence[Sequence[Any]]) -> Hidden:
    """Read it."""
    texts: dict[str, str] = {}
    for name, _, piece in rows:
        texts[name] = texts.get(name, "") + piece
    return Hidden(texts)


def _streamed(parts: Sequence[pa.Table]) -> bytes:
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, parts[0].schema) as stream:
        for part in parts:
            stream.write_table(part)
    content: bytes = sink.getvalue().to_pybytes()
    return content


def _packed(content: bytes) -> str:
    return base64.b64encode(zlib.compress(content)).decode()


def _unpacked(text: str) -> bytes:
    return zlib.decompress(base64.b64decode(text, validate=True))
