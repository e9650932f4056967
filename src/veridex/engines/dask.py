"""The Dask engine: chunks of tasks on the workers of a cluster, results in the tasks' order, the same bits as serial
work.
"""

import logging
import os
import uuid
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import CancelledError
from contextlib import ExitStack
from itertools import count
from typing import Any, TypeVar

from veridex.engines.answering import answered
from veridex.engines.chunks import Chunks
from veridex.engines.versions import numeric_versions
from veridex.errors import ParameterError, WorkerFailed

__all__ = ["DaskEngine"]

T = TypeVar("T")
R = TypeVar("R")

PREFIX = "dask://"

AHEAD = 2
"""Chunks under way for each thread: one at work, one that waits beside it."""

FORGOTTEN, TRIES = object(), 3
"""What stands for results that a cluster forgot, and how often they are asked for again."""

BACK = 60
"""Seconds for which workers that all died are waited for, each time: on a busy machine they start slowly."""

FAILURES = 1
"""How often a cluster of our own starts a chunk again whose worker died, before it is tried task by task."""


class DaskEngine:
    """A cluster does the work: one that is there, or one of this machine's cores that is started and ended here.

    The function goes to every worker once, tasks go through the scheduler in chunks, a few of them under way at a time,
    whatever their number. A chunk whose worker died is started again by the scheduler; where that fails too, its tasks
    are tried one by one, and what fails again is reported as lost.

    Parameters
    ----------
    address : str, optional
        ``"dask://scheduler:8786"``, or ``"scheduler:8786"``; by default a cluster of this machine.
    chunk : int, optional
        Tasks handed over at a time; chosen by their number by default. Results do not depend on it.

    Raises
    ------
    ParameterError
        If Dask is not installed, or the chunk is below one.
    """

    def __init__(self, address: str | None = None, chunk: int | None = None) -> None:
        try:
            import distributed  # noqa: F401 - only here: few need it
        except ImportError:
            problem = 'it needs Dask: pip install "veridex-demand[dask]"'
            raise ParameterError("engine", repr(address or "dask"), problem) from None
        if chunk is not None and chunk < 1:
            raise ParameterError("chunk", str(chunk), "use at least one")
        self.address = None if address is None else address.removeprefix(PREFIX)
        self.chunk = chunk

    def map(self, function: Callable[[T], R], tasks: Sequence[T], lost: Callable[[T], R] | None = None) -> Iterator[R]:
        """Results in order.

        Raises
        ------
        ParameterError
            If the cluster cannot be reached, or its workers compute with other versions than this process.
        WorkerFailed
            If the function raised an error in a worker, or a task's workers died and `lost` is not given.
        """
        if not len(tasks):
            return
        with ExitStack() as stack:
            client = self._connected(stack)
            threads = max(sum(client.nthreads().values()), 1)
            chunks = Chunks.of(tasks, threads, self.chunk)
            yield from _Job(client, function, chunks, lost).results(AHEAD * threads)

    def _connected(self, stack: ExitStack) -> Any:
        """A client of the cluster, whose workers compute as this process does."""
        import dask
        import distributed

        client_of: Any = distributed.Client
        if self.address is None:
            stack.enter_context(dask.config.set({"distributed.scheduler.allowed-failures": FAILURES}))
            local: Any = distributed.LocalCluster
            one = {"n_workers": os.cpu_count() or 1, "threads_per_worker": 1}
            try:
                cluster = stack.enter_context(local(**one, dashboard_address=":0", silence_logs=logging.CRITICAL))
            except (OSError, RuntimeError, TimeoutError) as problem:
                said = str(problem).partition("\n")[0]
                raise ParameterError("engine", "'dask'", f"no cluster starts on this machine ({said})") from None
            return stack.enter_context(client_of(cluster, set_as_default=False))
        try:
            client = stack.enter_context(client_of(self.address, timeout="20s", set_as_default=False))
        except (OSError, ValueError) as problem:
            said = str(problem).partition("\n")[0]
            raise ParameterError(
                "engine", repr(PREFIX + self.address), f"no scheduler answers there ({said})"
            ) from None
        here = numeric_versions()
        for worker, there in client.run(numeric_versions).items():
            other = next((name for name, version in here.items() if there.get(name) != version), None)
            if other is not None:
                raise ParameterError("engine", repr(PREFIX + self.address), _unlike(worker, other, there, here))
        return client


def _unlike(worker: str, what: str, there: Mapping[str, str], here: Mapping[str, str]) -> str:
    """That a worker would not give the same bits, and what to do."""
    remedy = "install the same everywhere"
    if what == "processor":
        remedy = "sums may differ in the last bit; choose workers of one kind, or set NPY_DISABLE_CPU_FEATURES"
    return f"worker {worker} has {what} {there.get(what)}, this process {here[what]}: {remedy}"


class _Job:
    """Chunks under way on a cluster.

    Parameters
    ----------
    client : Client
    function : callable
    chunks : Chunks
    lost : callable or None
    """

    def __init__(
        self,
        client: Any,
        function: Callable[[Any], Any],
        chunks: Chunks,
        lost: Callable[[Any], Any] | None,
    ) -> None:
        self._client, self._function, self._chunks, self._lost = client, function, chunks, lost
        self._name = f"{getattr(function, 'called', 'veridex')}-{uuid.uuid4().hex[:8]}"
        self._handed_out: Any = None
        self._numbers = count()

    def results(self, under_way: int) -> Iterator[Any]:
        """Results in order, so many chunks under way."""
        import distributed

        running: Any = distributed.as_completed(loop=self._client.loop)  # type: ignore[no-untyped-call]
        found, following, begun = dict[int, list[Any]](), 0, 0
        places: dict[Any, int] = {}
        tries: Counter[int] = Counter()

        def start(place: int) -> None:
            future = self._submit(self._chunks[place])
            places[future] = place
            running.add(future)

        try:
            for place in range(min(under_way, len(self._chunks))):
                start(place)
            begun = len(places)
            for future in running:
                place = places.pop(future)
                answer = self._answer(future)
                if answer is FORGOTTEN and tries[place] < TRIES:
                    tries[place] += 1
                    start(place)
                    continue
                found[place] = answer if isinstance(answer, list) else self._one_by_one(place)
                while following in found:
                    yield from found.pop(following)
                    following += 1
                # What is done before the chunk whose results come next is in memory.
                while begun < min(len(self._chunks), following + 2 * under_way) and len(places) < under_way:
                    start(begun)
                    begun += 1
        finally:
            self._client.cancel(list(places))

    def _submit(self, tasks: list[Any]) -> Any:
        """A future of what tasks bring; the function goes to all workers where it is on none."""
        if self._handed_out is None:
            self._handed_out = self._scattered()
        key = (self._name, next(self._numbers))
        return self._client.submit(answered, self._handed_out, tasks, key=key, pure=False)

    def _scattered(self) -> Any:
        """The function on all workers; where all have died at once, they are waited for while they start again."""
        for left in reversed(range(TRIES)):
            try:
                (found,) = self._client.scatter([self._function], broadcast=True, hash=False, timeout=BACK)
                return found
            except TimeoutError:
                if not left:
                    raise WorkerFailed("no worker is left, and none came back.") from None
        raise AssertionError

    def _one_by_one(self, place: int) -> list[Any]:
        """The results of a chunk whose workers died, task by task.

        Raises
        ------
        VeridexError
            The error that the function raised, or that nothing stands for a lost task.
        """
        results: list[Any] = []
        for task in self._chunks[place]:
            answers = (self._answer(self._submit([task])) for _ in range(TRIES))
            one = next((answer for answer in answers if answer is not FORGOTTEN), None)
            if isinstance(one, list):
                results += one
            elif self._lost is not None:
                results.append(self._lost(task))
            else:
                raise WorkerFailed("it died again and again on the same task.")
        return results

    def _answer(self, future: Any) -> Any:
        """What tasks brought; None where their workers died, FORGOTTEN where those died that held the function.

        Raises
        ------
        VeridexError
            The error that the function raised.
        """
        from distributed.scheduler import KilledWorker

        try:
            fine, answer = future.result()
        except KilledWorker:
            return None
        except CancelledError:
            self._handed_out = None
            return FORGOTTEN
        finally:
            future.release()
        if not fine:
            raise answer
        return answer
