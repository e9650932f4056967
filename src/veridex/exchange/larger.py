"""Histories of tables in batches: in memory where they are small, by parts on disk where they are not."""

from collections.abc import Iterator
from itertools import chain
from typing import Any

import pyarrow as pa

from veridex.core.history.history import History
from veridex.core.periods.cadence import Cadence
from veridex.core.tables.layout import TableLayout
from veridex.core.tables.reading import Whole
from veridex.exchange.scratch import ScratchRoom
from veridex.exchange.shuffle import Shuffle
from veridex.exchange.streams import Stream, frame_of

__all__ = ["history_of"]

IN_MEMORY = 5_000_000
"""Rows up to which a table is read as a whole."""


def history_of(stream: Stream, layout: TableLayout, cadence: Cadence | None, **measured: Any) -> History:
    """Read a long table in batches: the same history to the bit, whether it is read as a whole or by parts.

    Parameters
    ----------
    stream : Stream
    layout : TableLayout
    cadence : Cadence, optional
    **measured
        As `History.from_table` has them.

    Raises
    ------
    VeridexError
        As `read_history` says.
    """
    held: list[pa.RecordBatch] = []
    rows = 0
    for batch in stream.batches:
        held.append(batch)
        rows += batch.num_rows
        if rows > IN_MEMORY:
            return _by_parts(stream, held, Whole(layout, cadence, stream.label, 1), measured)
    frame = frame_of(held, stream.names)
    held.clear()
    return History.from_table(frame, layout, cadence, source=stream.label, **measured)


def _by_parts(stream: Stream, held: list[pa.RecordBatch], whole: Whole, measured: dict[str, Any]) -> History:
    """Sort rows by item on disk, then read part by part."""
    shuffle = Shuffle(whole, stream.rows)
    for batch in chain(_let_go(held), stream.batches):
        shuffle.add(batch)
    shuffle.finish()
    note = f"{shuffle.rows:,} rows were sorted by item on disk, and read part by part."
    return History.from_parts(shuffle, whole, ScratchRoom(), notes=(note,), **measured)


def _let_go(held: list[pa.RecordBatch]) -> Iterator[pa.RecordBatch]:
    """Batches in their order, none held longer than it is needed."""
    held.reverse()
    while held:
        yield held.pop()
