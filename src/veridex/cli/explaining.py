"""The files that may explain demand, as they are named on the command line."""

from pathlib import Path

from veridex.cli.file_words import FileWords, say
from veridex.core.history.history import History
from veridex.core.preparation.regressors import Explaining
from veridex.errors import ParameterError
from veridex.exchange.explaining import read_drivers, read_events

__all__ = ["explaining_from"]


def explaining_from(
    words: FileWords,
    history: History,
    drivers: str | None,
    known_ahead: str | None,
    events: Path | None,
    foresight: str = "none",
) -> Explaining:
    """Read drivers and events; their files are laid out as FILE is: the same column of dates, the same items."""
    if drivers is None:
        if known_ahead is not None:
            raise ParameterError("known_ahead", repr(known_ahead), "it names drivers; pass their file with --drivers")
        found = None
    else:
        column = (words.item or "").partition("=")[0]
        found = read_drivers(
            [part.strip() for part in drivers.split(",")],
            period=[part.strip() for part in (words.period or "period").split(",")],
            cadence=history.cadence,
            item=column or None,
            known_ahead=[] if known_ahead is None else [part.strip() for part in known_ahead.split(",")],
        )
        for note in found.notes:
            say(note)
    return Explaining(found, None if events is None else read_events(events), foresight)
