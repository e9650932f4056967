"""An argument out of range, or words that do not go together."""

from dataclasses import dataclass

from veridex.errors.base import CallError

__all__ = ["ParameterError", "WordIdle"]


@dataclass(eq=False)
class ParameterError(CallError):
    """An argument of a call is out of range."""

    name: str
    value: str
    problem: str

    def __str__(self) -> str:
        return f"{self.name}={self.value}: {self.problem}" + ("" if self.problem.endswith("?") else ".")


@dataclass(eq=False)
class WordIdle(CallError):
    """Words were given that would do nothing in this call."""

    words: tuple[str, ...]
    because: str

    def __str__(self) -> str:
        does, them = ("does", "it") if len(self.words) == 1 else ("do", "them")
        return f"{' and '.join(self.words)} {does} nothing here: {self.because}. Leave {them} out."
