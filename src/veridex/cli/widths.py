"""Which columns of a table a screen has room for, and how wide each is: what does not fit moves below, or away."""

from collections.abc import Sequence
from dataclasses import dataclass

__all__ = ["Laid", "Shape", "laid"]

GUTTER = 3
"""Blanks between columns."""

PROSE = 40
"""Cells of a text that is longer are sentences: where they would be narrower than this they stand below the table."""

LABEL = 20
"""Texts no longer than this stay on one line."""

LONGEST_WORD = 30
"""A longer word is broken."""


@dataclass(frozen=True, slots=True)
class Shape:
    """One column: its name and cells as they are read, whether they are numbers, whether its heading stays whole."""

    name: str
    cells: Sequence[str]
    numeric: bool
    whole: bool = False

    @property
    def head(self) -> list[str]:
        """The lines of its heading: a name longer than its cells is broken at its underscores."""
        longest = max(map(len, self.cells), default=0)
        if self.whole or len(self.name) <= max(longest, 8) or not ("_" in self.name or " " in self.name):
            return [self.name]
        lines: list[str] = []
        for part in self.name.replace("_", "_ ").split():
            joined = (lines[-1] if lines[-1].endswith("_") else f"{lines[-1]} ") + part if lines else part
            if lines and len(joined) <= max(longest, 8):
                lines[-1] = joined
            else:
                lines.append(part)
        return lines

    @property
    def natural(self) -> int:
        """The width that breaks nothing but the heading."""
        return max(max(map(len, self.cells), default=0), *(len(line) for line in self.head))

    @property
    def least(self) -> int:
        """The width below which words are broken."""
        if self.numeric:
            return self.natural
        if self.natural <= LABEL:
            return self.natural
        words = max((len(word) for cell in self.cells for word in cell.split()), default=0)
        return max(min(words, LONGEST_WORD), *(len(line) for line in self.head))

    @property
    def prose(self) -> bool:
        """Whether it holds sentences."""
        return not self.numeric and max(map(len, self.cells), default=0) > PROSE


@dataclass(frozen=True, slots=True)
class Laid:
    """A table as a screen shows it.

    Attributes
    ----------
    widths : dict of str to int
        Of the columns that are shown, in their order.
    below : tuple of str
        Columns of sentences that stand below the table.
    away : tuple of str
        Columns that are left out.
    """

    widths: dict[str, int]
    below: tuple[str, ...] = ()
    away: tuple[str, ...] = ()


def laid(columns: Sequence[Shape], width: int, ranked: Sequence[str] = ()) -> Laid:
    """Fit columns into a width.

    Parameters
    ----------
    columns : sequence of Shape
        In the order in which they stand.
    width : int
        Letters of a line.
    ranked : sequence of str
        Names, the most important first; the others follow in their order. The least important go first.
    """
    names = [one.name for one in columns]
    order = [name for name in ranked if name in names] + [name for name in names if name not in ranked]
    shown = {one.name: one for one in columns}
    below: list[str] = []
    while _taken([one.natural for one in shown.values()]) > width:
        prose = [one for one in shown.values() if one.prose]
        room = width - _taken([_tight(one) for one in shown.values() if not one.prose]) - GUTTER * len(prose)
        if prose and room < PROSE * len(prose):
            last = max(prose, key=lambda one: order.index(one.name))
            below.append(last.name)
            del shown[last.name]
        else:
            break
    away: list[str] = []
    while len(shown) > 1 and _taken([one.least for one in shown.values()]) > width:
        last_name = max(shown, key=order.index)
        away.append(last_name)
        del shown[last_name]
    return Laid(_widths(list(shown.values()), width), tuple(reversed(below)), tuple(sorted(away, key=names.index)))


def _tight(one: Shape) -> int:
    return one.least


def _taken(widths: Sequence[int]) -> int:
    return sum(widths) + GUTTER * len(widths)


def _widths(columns: Sequence[Shape], width: int) -> dict[str, int]:
    """The least widths, and what is left over given to texts that want more, evenly."""
    found = {one.name: min(one.least, max(width - GUTTER, 1)) for one in columns}
    wanting = [one for one in columns if found[one.name] < one.natural]
    left = width - _taken(list(found.values()))
    while wanting and left > 0:
        for one in sorted(wanting, key=lambda one: one.natural):
            if left > 0:
                found[one.name] += 1
                left -= 1
        wanting = [one for one in wanting if found[one.name] < one.natural]
    return found
