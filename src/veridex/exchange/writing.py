"""`write`: one door for everything that goes into places; and the ways back."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from veridex.core.backtest.trial import Trial
from veridex.core.fitted.fitted import Fitted
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.publication.publication import Publication
from veridex.core.tidying.tidy import Tidied
from veridex.errors import ParameterError
from veridex.exchange.forms.fitted import write_fitted
from veridex.exchange.forms.publications import PUBLICATION
from veridex.exchange.forms.tidied import HISTORY, TIDIED
from veridex.exchange.forms.trials import TRIAL
from veridex.exchange.keeping import keep

__all__ = ["write"]

FORMS = {Publication: PUBLICATION, Trial: TRIAL, Tidied: TIDIED, History: HISTORY}

Value = Publication | Trial | Tidied | Fitted | History | ItemHistory


def write(what: Value, destination: str | Path | Sequence[str | Path]) -> Any:
    """Write a publication, a trial, a fitted method, a tidied history or a history.

    Everything appears whole or not at all, and is sealed: what was edited, cut or swapped since is refused by the
    reader. Of two writers of one file or directory the later one wins, whole; a database keeps both.

    Parameters
    ----------
    what : Publication, Trial, Fitted, Tidied, History or ItemHistory
    destination : str or Path, or several
        A directory (of CSV files), a directory ending in ``.parquet``, a workbook ending in ``.xlsx``, or the address
        of a database (``sqlite:///forecasts.db``, ``postgresql://host/planning``). A trial goes into a directory, item
        by item, a file ending in ``.parquet`` or a database, a history alone also into a file ending in ``.csv`` or
        ``.parquet``, a fitted method into a file ending in ``.json``. What stands in a file or directory is replaced;
        one that holds anything else is refused. A database keeps what it has and numbers it; its address may say how
        much of it is retained, and what our tables begin with: ``sqlite:///forecasts.db?retain=12&prefix=shop_``.
        Several destinations are written together: all of them, or none.

    Returns
    -------
    str or Path, or a list of them
        The destination.

    Raises
    ------
    DestinationRefused
        If no place of this kind keeps it, it cannot be written, or the destination holds something else.
    ParameterError
        If this cannot be written.
    """
    destinations = [destination] if isinstance(destination, (str, Path)) else list(destination)
    if isinstance(what, Fitted):
        for one in destinations:
            write_fitted(what, one)
        return destination
    if isinstance(what, ItemHistory):
        what = History.of([what])
    form = FORMS.get(type(what))
    if form is None:
        problem = "a publication, a trial, a fitted method, a tidied history or a history can be written"
        raise ParameterError("what", repr(what), problem)
    keep(form, what, destinations)
    return destination
