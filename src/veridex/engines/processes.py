"""The processes engine: chunks of tasks on all cores, results in the tasks' order, the same bits as serial work."""

import os
import pickle
import selectors
import subprocess
import sys
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any, TypeVar

from veridex.engines.chunks import Chunks
from veridex.errors import ParameterError, WorkerFailed

__all__ = ["ProcessEngine"]

T = TypeVar("T")
R = TypeVar("R")

AHEAD = 4
"""Chunks for each worker that may be done before the one whose results come next: what waits is in memory."""

ONE_THREAD = dict.fromkeys(("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS"), "1")


@dataclass(slots=True)
class _Worker:
    """A process with its pipes, and the chunk that it works on."""

    process: "subprocess.Popen[bytes]"
    chunk: int | None = None


@dataclass(slots=True)
class _Job:
    """Chunks waiting, how often each was tried, and results that wait for earlier ones."""

    waiting: deque[int]
    most: int
    following: int = 0
    tries: dict[int, int] = field(default_factory=dict)
    results: dict[int, list[Any]] = field(default_factory=dict)


class ProcessEngine:
    """Workers that start once and load compiled code from the cache, each with one thread.

    A worker that dies loses only its chunk, which is tried once more in parts of one task; what fails again is
    reported as lost. Ctrl-C, and an end of any other kind, stops all workers.

    Parameters
    ----------
    workers : int, optional
        All cores by default.
    chunk : int, optional
        Tasks handed over at a time; chosen by their number by default. Results do not depend on it.

    Raises
    ------
    ParameterError
        If one of them is below one.
    """

    def __init__(self, workers: int | None = None, chunk: int | None = None) -> None:
        if os.name != "posix":
            raise ParameterError("engine", "'processes'", "it needs Linux or macOS; use engine='serial'")
        for name, value in (("workers", workers), ("chunk", chunk)):
            if value is not None and value < 1:
                raise ParameterError(name, str(value), "use at least one")
        self.workers = workers or os.cpu_count() or 1
        self.chunk = chunk

    def map(self, function: Callable[[T], R], tasks: Sequence[T], lost: Callable[[T], R] | None = None) -> Iterator[R]:
        """Results in order.

        Raises
        ------
        WorkerFailed
            If the function raised an error in a worker, or a worker died twice on a task and `lost` is not given.
        """
        chunks = Chunks.of(tasks, self.workers, self.chunk)
        head = pickle.dumps(function, protocol=pickle.HIGHEST_PROTOCOL)
        workers: list[_Worker] = []
        try:
            yield from self._run(chunks, head, lost, workers)
        finally:
            for worker in workers:
                _stop(worker)

    def _run(
        self, chunks: Chunks, head: bytes, lost: Callable[[Any], Any] | None, workers: list[_Worker]
    ) -> Iterator[Any]:
        job = _Job(deque(range(len(chunks))), AHEAD * self.workers)
        selector = selectors.DefaultSelector()

        def start() -> None:
            worker = _Worker(_spawn(head))
            workers.append(worker)
            selector.register(worker.process.stdout, selectors.EVENT_READ, worker)  # type: ignore[arg-type]
            _hand_over(worker, job, chunks)

        for _ in range(min(self.workers, len(chunks))):
            start()
        while job.following < len(chunks):
            for key, _ in selector.select():
                worker: _Worker = key.data
                answer = _read(worker)
                if answer is not None:
                    assert worker.chunk is not None
                    job.results[worker.chunk] = answer
                    worker.chunk = None
                    _hand_over(worker, job, chunks)
                    continue
                selector.unregister(key.fileobj)
                _stop(worker)
                workers.remove(worker)
                if worker.chunk is not None:
                    self._again(worker.chunk, job, chunks, head, lost)
                if job.waiting:
                    start()
            while job.following in job.results:
                yield from job.results.pop(job.following)
                job.following += 1
            for worker in workers:
                if worker.chunk is None:
                    _hand_over(worker, job, chunks)

    def _again(self, chunk: int, job: _Job, chunks: Chunks, head: bytes, lost: Callable[[Any], Any] | None) -> None:
        """Try the tasks of a chunk whose worker died once more, each in a process of its own."""
        results = []
        for task in chunks[chunk]:
            alone = _Worker(_spawn(head))
            try:
                _send(alone, [task])
                answer = _read(alone)
            finally:
                _stop(alone)
            if answer is not None:
                results += answer
            elif lost is not None:
                results.append(lost(task))
            else:
                raise WorkerFailed("it died twice on the same task.")
        job.results[chunk] = results


def _spawn(head: bytes) -> "subprocess.Popen[bytes]":
    """Start a worker out of reach of the terminal's Ctrl-C, and give it the function."""
    process = subprocess.Popen(
        [sys.executable, "-m", "veridex.engines.worker"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        env=os.environ | ONE_THREAD,
        start_new_session=True,
    )
    assert process.stdin is not None
    with suppress(BrokenPipeError):  # if it died already, reading from it will tell
        process.stdin.write(head)
        process.stdin.flush()
    return process


def _hand_over(worker: _Worker, job: _Job, chunks: Chunks) -> None:
    """Give a worker the next chunk, unless too many results wait for an earlier one."""
    if job.waiting and job.waiting[0] < job.following + job.most:
        worker.chunk = job.waiting.popleft()
        _send(worker, chunks[worker.chunk])


def _send(worker: _Worker, tasks: list[Any]) -> None:
    assert worker.process.stdin is not None
    with suppress(BrokenPipeError):  # if it died, reading from it will tell
        pickle.dump(tasks, worker.process.stdin, protocol=pickle.HIGHEST_PROTOCOL)
        worker.process.stdin.flush()


def _read(worker: _Worker) -> list[Any] | None:
    """The results of a chunk; None where the worker died.

    Raises
    ------
    VeridexError
        The error that the function raised in the worker.
    """
    assert worker.process.stdout is not None
    try:
        fine, answer = pickle.load(worker.process.stdout)
    except (EOFError, pickle.UnpicklingError):
        return None
    if not fine:
        raise answer
    found: list[Any] = answer
    return found


def _stop(worker: _Worker) -> None:
    """End a worker, whatever it is doing, and close its pipes."""
    worker.process.kill()
    for pipe in (worker.process.stdin, worker.process.stdout):
        if pipe is not None:
            with suppress(BrokenPipeError):
                pipe.close()
    worker.process.wait()
