"""The processes engine: chunks of tasks on all cores, results in the tasks' order, the same bits as serial work."""

import os
import pickle
import selectors
import subprocess
import sys
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
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
    """Chunks waiting, those that are made ready, and results that wait for earlier ones."""

    chunks: Chunks
    waiting: deque[int]
    most: int
    following: int = 0
    ready: deque[tuple[int, bytes]] = field(default_factory=deque)
    results: dict[int, list[Any]] = field(default_factory=dict)

    @property
    def may_go_on(self) -> bool:
        """Whether there is another chunk, and not too many results wait for an earlier one."""
        return bool(self.waiting) and self.waiting[0] < self.following + self.most

    def make_ready(self) -> None:
        """Make the tasks of the next chunk: some work of its own, during which no worker need wait."""
        number = self.waiting.popleft()
        self.ready.append((number, pickle.dumps(self.chunks[number], protocol=pickle.HIGHEST_PROTOCOL)))


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
        self._stays = False
        self._idle: list[_Worker] = []

    @contextmanager
    def staying(self) -> Iterator[None]:
        """Let workers stay from one call of `map` to the next: each takes two seconds to start."""
        before, self._stays = self._stays, True
        try:
            yield
        finally:
            self._stays = before
            if not before:
                self._dismiss()

    def _dismiss(self) -> None:
        for worker in self._idle:
            _stop(worker)
        self._idle.clear()

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
                if self._stays and worker.chunk is None:
                    self._idle.append(worker)
                else:
                    _stop(worker)

    def _run(
        self, chunks: Chunks, head: bytes, lost: Callable[[Any], Any] | None, workers: list[_Worker]
    ) -> Iterator[Any]:
        job = _Job(chunks, deque(range(len(chunks))), AHEAD * self.workers)
        selector = selectors.DefaultSelector()

        def start() -> None:
            worker = self._idle.pop() if self._idle else _Worker(_spawn())
            _send(worker, head)
            workers.append(worker)
            selector.register(worker.process.stdout, selectors.EVENT_READ, worker)  # type: ignore[arg-type]
            _hand_over(worker, job)

        for _ in range(min(self.workers, len(chunks))):
            start()
        while job.following < len(chunks):
            idle = job.may_go_on and len(job.ready) < self.workers
            events = selector.select(0 if idle else None)
            if idle and not events:
                job.make_ready()
                continue
            for key, _ in events:
                worker: _Worker = key.data
                answer = _read(worker)
                if answer is not None:
                    assert worker.chunk is not None
                    job.results[worker.chunk] = answer
                    worker.chunk = None
                    _hand_over(worker, job)
                    continue
                selector.unregister(key.fileobj)
                _stop(worker)
                workers.remove(worker)
                if worker.chunk is not None:
                    self._again(worker.chunk, job, chunks, head, lost)
                if job.waiting or job.ready:
                    start()
            while job.following in job.results:
                yield from job.results.pop(job.following)
                job.following += 1
            for worker in workers:
                if worker.chunk is None:
                    _hand_over(worker, job)

    def _again(self, chunk: int, job: _Job, chunks: Chunks, head: bytes, lost: Callable[[Any], Any] | None) -> None:
        """Try the tasks of a chunk whose worker died once more, each in a process of its own."""
        results = []
        for task in chunks[chunk]:
            alone = _Worker(_spawn())
            try:
                _send(alone, head)
                _send(alone, pickle.dumps([task], protocol=pickle.HIGHEST_PROTOCOL))
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


def _spawn() -> "subprocess.Popen[bytes]":
    """Start a worker out of reach of the terminal's Ctrl-C."""
    return subprocess.Popen(
        [sys.executable, "-m", "veridex.engines.worker"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        env=os.environ | ONE_THREAD,
        start_new_session=True,
    )


def _hand_over(worker: _Worker, job: _Job) -> None:
    """Give a worker the next chunk, unless too many results wait for an earlier one."""
    if not job.ready and job.may_go_on:
        job.make_ready()
    if job.ready:
        worker.chunk, tasks = job.ready.popleft()
        _send(worker, tasks)


def _send(worker: _Worker, message: bytes) -> None:
    """Send a function, or tasks."""
    assert worker.process.stdin is not None
    with suppress(BrokenPipeError):  # if it died, reading from it will tell
        worker.process.stdin.write(message)
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
