"""Letters that some place cannot hold, written so that all can: the same text comes back from each."""

import re

__all__ = ["MARK", "escaped", "unescaped"]

MARK = "\u241b"
"""The picture of the escape key: it stands in hardly any text, and where it does it is written out itself."""

UNFIT = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x84\x86-\x9f\ud800-\udfff\ufffe\uffff" + MARK + "]")
"""No database keeps NUL, XML none of the controls but tab and newline, UTF-8 no surrogates."""

WRITTEN = re.compile(MARK + "([0-9a-f]{4})")


def escaped(text: str) -> str:
    """A text without letters that some place cannot hold.

    Examples
    --------
    >>> escaped("bell" + chr(7)).isprintable(), unescaped(escaped("bell" + chr(7))) == "bell" + chr(7)
    (True, True)
    """
    return UNFIT.sub(lambda found: f"{MARK}{ord(found[0]):04x}", text)


def unescaped(text: str) -> str:
    """The inverse of `escaped`."""
    return WRITTEN.sub(lambda found: chr(int(found[1], 16)), text) if MARK in text else text
