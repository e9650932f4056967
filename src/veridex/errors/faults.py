"""We are wrong."""

from dataclasses import dataclass

from veridex.errors.base import OurFault

__all__ = ["WorkerFailed"]


@dataclass(eq=False)
class WorkerFailed(OurFault, RuntimeError):
    """A worker process broke off in a way that is our fault, not the data's."""

    problem: str

    def __str__(self) -> str:
        return f"A worker process failed: {self.problem} Try engine='serial', and please report it."
