"""The face that results have in a notebook: what they say in words, and their first table."""

from collections.abc import Sequence
from html import escape
from typing import Any, ClassVar

import pandas as pd

__all__ = ["Faced"]

MOST_ROWS = 20
"""Rows of a table that are shown."""

STYLE = "font-family: DejaVu Sans, Verdana, sans-serif; color: #22313f; max-width: 60em"


class Faced:
    """A result that notebooks show as text and tables.

    `FACE` names what is shown, in order: methods without arguments and attributes whose values are texts, tables, or
    lists of these; what is empty is left out. Nothing is computed before it is shown.
    """

    __slots__ = ()
    FACE: ClassVar[tuple[str, ...]] = ()

    def _repr_html_(self) -> str:
        parts = [f"<p><b>{escape(repr(self))}</b></p>"]
        for name in self.FACE:
            value = getattr(self, name)
            parts += _shown(value() if callable(value) else value)
        return f'<div style="{STYLE}">{"".join(parts)}</div>'


def _shown(value: Any) -> list[str]:
    """A text as a paragraph for each line, a table with its first rows."""
    if isinstance(value, pd.DataFrame):
        if value.empty:
            return []
        table = value.head(MOST_ROWS).to_html(index=False, border=0, na_rep="", float_format=lambda x: f"{x:,.4g}")
        left = len(value) - MOST_ROWS
        return [table, f"<p>and {left:,} rows more</p>"] if left > 0 else [table]
    if isinstance(value, str):
        return [f"<p>{escape(line)}</p>" for line in value.splitlines() if line.strip()]
    if isinstance(value, Sequence):
        return [part for one in value for part in _shown(one)]
    return [] if value is None else _shown(str(value))
