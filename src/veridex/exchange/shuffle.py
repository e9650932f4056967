"""Rows of a source larger than memory, put on disk item by item."""

from collections import deque
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
from pyarrow import compute

from veridex.core.arrays import IntArray
from veridex.core.tables.cells import different_keys
from veridex.core.tables.left_out import AT_THE_END
from veridex.core.tables.reading import Whole
from veridex.core.tables.texts import looked_up
from veridex.exchange.scratch import Scratch
from veridex.exchange.streams import Kinds, frame_of

__all__ = ["Shuffle"]

ROW = "veridex row"
"""The column that numbers the rows."""

FEWEST_PARTS, MOST_PARTS, USUAL_PARTS = 4, 256, 64
"""Parts, each a file that is open while rows come; the usual number where nobody knows how many do."""

ROWS_OF_A_PART = 1_000_000

PACKED = pa.ipc.IpcWriteOptions(compression="lz4")


class Shuffle:
    """Rows as they come are put into parts by a digest of their item; then each part has all rows of its items.

    Parameters
    ----------
    whole : Whole
        Hears all rows, and leaves out what is no demand.
    rows : int or None
        How many are to be expected.
    """

    def __init__(self, whole: Whole, rows: int | None) -> None:
        self._whole = whole
        self._scratch = Scratch("rows")
        wanted = USUAL_PARTS if rows is None else -(-rows // ROWS_OF_A_PART)
        self._parts = min(max(wanted, FEWEST_PARTS), MOST_PARTS) if whole.layout.item else 1
        self._kinds = Kinds()
        self._names: tuple[str, ...] = ()
        self._held: deque[tuple[pa.RecordBatch, pd.DataFrame]] = deque()
        self._writers: dict[tuple[int, pa.Schema], pa.RecordBatchStreamWriter] = {}
        self.rows = 0

    def add(self, batch: pa.RecordBatch) -> None:
        """Take in a batch; the last rows are held back, among which totals are looked for."""
        self._kinds.hear(batch)
        self._names = tuple(batch.schema.names)
        frame = frame_of([batch], self._names)
        frame.index = pd.RangeIndex(self.rows, self.rows + len(frame))
        numbers = pa.array(np.arange(self.rows, self.rows + len(frame), dtype=np.int64))
        self.rows += len(frame)
        self._held.append((batch.append_column(ROW, numbers), self._whole.valid(frame)))
        while sum(len(frame) for _, frame in list(self._held)[1:]) >= AT_THE_END:
            self._put(*self._held.popleft())

    def finish(self) -> None:
        """No more rows come.

        Raises
        ------
        VeridexError
            What `Whole.hear` raises.
        """
        if self._held:
            end = self._whole.finished(pd.concat([frame for _, frame in self._held]))
            kept = end.index
            for batch, frame in self._held:
                self._put(batch, frame.loc[frame.index.intersection(kept)])
        self._held.clear()
        for writer in self._writers.values():
            writer.close()
        self._writers.clear()

    def _put(self, batch: pa.RecordBatch, frame: pd.DataFrame) -> None:
        """Put the rows of a batch that are demand into their parts."""
        if frame.empty:
            return
        self._whole.hear(frame)
        parts = self._part_of_each(frame)
        order = np.argsort(parts, kind="stable")
        first = batch.column(ROW)[0].as_py()
        sorted_rows = _unpacked(compute.take(batch, pa.array(frame.index.to_numpy()[order] - first)))
        bounds = np.searchsorted(parts[order], np.arange(self._parts + 1))
        for part in range(self._parts):
            begin, count = int(bounds[part]), int(bounds[part + 1] - bounds[part])
            if count:
                self._writer(part, sorted_rows.schema).write_batch(sorted_rows.slice(begin, count))

    def _part_of_each(self, frame: pd.DataFrame) -> IntArray:
        if self._parts == 1:
            return np.zeros(len(frame), dtype=np.int64)
        names, codes = different_keys(frame, self._whole.layout.item)
        digests = pd.util.hash_array(names, categorize=False)
        return looked_up((digests % self._parts).astype(np.int64), codes)

    def _writer(self, part: int, schema: pa.Schema) -> pa.RecordBatchStreamWriter:
        key = part, schema
        if key not in self._writers:
            number = sum(other == part for other, _ in self._writers)
            self._writers[key] = pa.ipc.new_stream(self._path(part, number), schema, options=PACKED)
        return self._writers[key]

    def _path(self, part: int, number: int) -> Path:
        return self._scratch.path / f"{part}-{number}.arrow"

    def __iter__(self) -> Iterator[pd.DataFrame]:
        for part in range(self._parts):
            batches: list[pa.RecordBatch] = []
            for number in range(len(list(self._scratch.path.glob(f"{part}-*.arrow")))):
                with pa.OSFile(str(self._path(part, number))) as file, pa.ipc.open_stream(file) as stream:
                    batches += list(stream)
            if not batches:
                continue
            frame = frame_of(batches, self._names, self._kinds)
            frame.index = pd.Index(np.concatenate([batch.column(ROW).to_numpy() for batch in batches]))
            yield frame.sort_index()  # batches of another schema stand in a file of their own


def _unpacked(batch: pa.RecordBatch) -> pa.RecordBatch:
    """Texts as such: a dictionary would be written with each part of a batch."""
    columns = [one.dictionary_decode() if pa.types.is_dictionary(one.type) else one for one in batch.columns]
    return pa.RecordBatch.from_arrays(columns, names=batch.schema.names)
