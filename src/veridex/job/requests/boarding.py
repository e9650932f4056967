"""What can be said of the page that is handed round."""

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, ClassVar

from veridex.job.words import Word

__all__ = ["Boarding"]

Texts = tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Boarding:
    """What a board shows, and where it goes."""

    TITLE: ClassVar[str] = "Board"

    source: Annotated[
        str,
        Word(help="Where a publication is; or a trial, which is then decided and published first.", positional=True),
    ]
    to: Annotated[Path, Word(help="The page, a file ending in .html.", place=True)] = Path("board.html")
    trial: Annotated[
        str | None,
        Word(help="The trial that was published from: adds what was held back, contenders, errors.", name="from"),
    ] = None
    earlier: Annotated[
        Texts,
        Word(
            help="Where earlier publications are: what has changed since the last, its watch, and the track record.",
            repeated=True,
        ),
    ] = ()
    quiet: Annotated[bool, Word(help="No notes and no progress on standard error.")] = False
