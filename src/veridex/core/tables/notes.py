"""What is said of a history, in sentences that know which items they are about."""

from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

__all__ = ["Note", "counted_note", "notes_about", "put_together"]


class Note(str):
    """A sentence about some items: `counts` has how often it holds for each of them.

    In the template ``{n}`` stands for how often in all, ``{over}`` for so many periods of so many items.
    A plain text among the notes of a history is about all of it.
    """

    template: str
    counts: Mapping[str, int]

    def __new__(cls, template: str, counts: Mapping[str, int]) -> "Note":
        """Say it of all of them."""
        n = sum(counts.values())
        over = f"{n:,} period{'s' if n != 1 else ''}" + (f" of {len(counts):,} items" if len(counts) > 1 else "")
        made = super().__new__(cls, template.format(n=n, over=over))
        made.template, made.counts = template, dict(counts)
        return made

    def __getnewargs__(self) -> tuple[str, Mapping[str, int]]:  # type: ignore[override]
        return self.template, self.counts


def counted_note(template: str, items: Sequence[str], codes: NDArray[np.integer]) -> list[str]:
    """Make a note of one code of an item for each time it holds; none where it never does.

    Examples
    --------
    >>> counted_note("Months without a row: {n:,}.", ("jar", "smoker"), np.array([1, 1]))
    ['Months without a row: 2.']
    """
    found, counts = np.unique(codes, return_counts=True)
    if not found.size:
        return []
    return [Note(template, {items[i]: int(n) for i, n in zip(found.tolist(), counts.tolist(), strict=True)})]


def put_together(parts: Iterable[Sequence[str]]) -> list[str]:
    """Notes of several parts of a history as those of all of it: what is said of other items in each is said once."""
    found: dict[str, dict[str, int]] = {}
    plain: dict[str, None] = {}
    for notes in parts:
        for note in notes:
            if isinstance(note, Note):
                found.setdefault(note.template, {}).update(note.counts)
            else:
                plain[note] = None
    return [*plain, *(Note(template, dict(sorted(counts.items()))) for template, counts in found.items())]


def notes_about(notes: Iterable[str], item: str) -> tuple[list[str], int, int]:
    """What notes say of one item, how many other items they are about, and how often."""
    own, others, times = [], set(), 0
    for note in notes:
        if not isinstance(note, Note):
            own.append(note)
            continue
        if item in note.counts:
            own.append(Note(note.template, {item: note.counts[item]}))
        others |= note.counts.keys() - {item}
        times += len(note.counts.keys() - {item})
    return own, len(others), times
