"""Tasks are made when they are handed out, in chunks, and results come in order whatever the chunks are."""

import pytest

from veridex.core.backtest.engine import SerialEngine, Tasks
from veridex.engines.chunks import Chunks
from veridex.engines.processes import ProcessEngine


@pytest.mark.parametrize(
    ("engine", "most"),
    [(SerialEngine(), 1), (ProcessEngine(1, 2), 9), (ProcessEngine(2, 1), 9)],
    ids=["serial", "one", "two"],
)
def test_no_more_tasks_are_made_than_are_worked_on(engine, most):
    made = []

    def make(k):
        made.append(k)
        return k

    ahead = [len(made) - done for done, _ in enumerate(engine.map(str, Tasks(make, 40)))]
    assert max(ahead) <= most and sorted(made) == list(range(40))
    assert list(engine.map(str, Tasks(lambda k: -k, 3))) == ["0", "-1", "-2"]


def test_chunks_are_cut_by_the_number_of_workers():
    tasks = Tasks(lambda k: k, 1001)
    assert [Chunks.of(tasks, workers, None).size for workers in (1, 2, 7, 100)] == [16, 10, 2, 1]
    chunks = Chunks.of(tasks, 1, 64)
    assert len(chunks) == 16 and chunks[0] == list(range(64)) and chunks[15] == list(range(960, 1001))
    assert len(Chunks.of(Tasks(str, 0), 2, None)) == 0
    with pytest.raises(IndexError):
        tasks[1001]
