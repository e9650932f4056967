"""`write`: one door for everything that goes into files."""

from pathlib import Path

from veridex.core.backtest.trial import Trial
from veridex.core.fitted.fitted import Fitted
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.publication.publication import Publication
from veridex.core.tidying.tidy import Tidied
from veridex.errors import ParameterError
from veridex.exchange.forms.fitted import write_fitted
from veridex.exchange.forms.publications import write_publication
from veridex.exchange.forms.tidied import write_history, write_tidied
from veridex.exchange.forms.trials import write_trial

__all__ = ["write"]


def write(what: Publication | Trial | Tidied | Fitted | History | ItemHistory, destination: str | Path) -> Path:
    """Write a publication, a trial, a fitted method, a tidied history or a history.

    Everything appears whole or not at all, and is sealed: what was edited, cut or swapped since is refused by the
    reader. Of two writers of one destination the later one wins, whole.

    Parameters
    ----------
    what : Publication, Trial, Fitted, Tidied, History or ItemHistory
    destination : str or Path
        A directory for a publication (`publication.csv`, `totals.csv`, `ledger.csv`, `manifest.json`) and for a tidied
        history (`history.csv`, `ledger.csv`, `rules.json`); earlier ones are replaced, a directory that holds anything
        else is refused. A file ending in ``.csv`` or ``.parquet`` for a history, one ending in ``.parquet`` for a
        trial, one ending in ``.json`` for a fitted method.

    Returns
    -------
    Path
        What was written.

    Raises
    ------
    DestinationRefused
        If no place of this kind keeps it, it cannot be written, or the destination holds something else.
    ParameterError
        If this cannot be written.
    """
    if isinstance(what, Publication):
        return write_publication(what, destination)
    if isinstance(what, Trial):
        return write_trial(what, destination)
    if isinstance(what, Fitted):
        return write_fitted(what, destination)
    if isinstance(what, Tidied):
        return write_tidied(what, destination)
    if isinstance(what, (History, ItemHistory)):
        return write_history(History.of([what]) if isinstance(what, ItemHistory) else what, destination)
    problem = "a publication, a trial, a fitted method, a tidied history or a history can be written"
    raise ParameterError("what", repr(what), problem)
