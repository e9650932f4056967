"""What libraries raise that read files which somebody has damaged, or which are none of their kind."""

import struct
import zipfile
import zlib

import pyarrow as pa

__all__ = ["DAMAGED"]

DAMAGED = (
    *(OSError, ValueError, KeyError, IndexError, TypeError, AttributeError, EOFError, RecursionError, OverflowError),
    *(pa.ArrowException, zlib.error, zipfile.BadZipFile, struct.error, SyntaxError, NotImplementedError),
)
"""Of XML that is none it is a SyntaxError, of a compression that nobody knows a NotImplementedError."""
