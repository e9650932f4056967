"""`board`: a publication as one HTML page that needs no server and no network."""

import base64
import hashlib
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from importlib.resources import files
from typing import Any

from jinja2 import Environment, StrictUndefined

from veridex.core.backtest.trial import Trial
from veridex.core.methods.words import counted
from veridex.core.publication.publication import Publication
from veridex.core.publication.record.record import TrackRecord
from veridex.core.publication.shown import summed
from veridex.core.publication.watch.watch import Watch
from veridex.core.verdict.verdict import Verdict
from veridex.errors import ParameterError
from veridex.onepage.items import Pages
from veridex.onepage.overview import overview
from veridex.onepage.packing import as_bytes, packed, squeezed, stamp
from veridex.onepage.portfolio import portfolio
from veridex.onepage.source import Source
from veridex.palette import AMBER, BANDS, GRID, GROUND, INK, PAPER, PLUM, TEAL

__all__ = ["board"]

TOGETHER = 25
"""Items that are packed together: opening one unpacks its neighbours too."""

SCRIPTS = ("tools", "address", "tables", "drawing", "items", "item", "portfolio", "start")
"""Parts of the page's script, in order."""


def board(
    publication: Publication,
    trial: Trial | Verdict | None = None,
    watch: Watch | None = None,
    *,
    record: TrackRecord | None = None,
    before: Publication | None = None,
) -> str:
    """A publication as one HTML page to hand round: all items, each item, the portfolio.

    The page is complete in itself: it asks nothing of any server, and its own policy forbids it to. It opens from a
    mail in any browser of the last years. Numbers on it have six digits.

    Parameters
    ----------
    publication : Publication
    trial : Trial or Verdict, optional
        What it was tested to be: adds each item's last held-back forecast over what came, contenders side by side and
        errors by lead time. Of a verdict the blend's are those that it would have published by what was known then; of
        a trial those of the member with the largest share stand for it.
    watch : Watch, optional
        Of an earlier publication: its alerts.
    record : TrackRecord, optional
        What was published against what came.
    before : Publication, optional
        The one before, to show what has changed since.

    Returns
    -------
    str
        HTML, to be written as UTF-8.

    Raises
    ------
    ParameterError
        If the trial, the watch or the publication before are of another cadence or of none of these items.
    """
    source = Source(publication=publication, tested=trial, watch=watch, record=record, before=before)
    _refuse_strangers(source)
    style, script = _style(), _script()
    text: str = _template().render(
        title=_title(publication),
        style=style,
        script=script,
        policy=f"default-src 'none'; style-src '{_digest(style)}'; script-src '{_digest(script)}'; img-src data:; "
        "base-uri 'none'; form-action 'none'",
        head=packed(_head(source)),
        table=packed(overview(source)),
        portfolio=packed(portfolio(source)),
        parts=_parts(source),
    )
    return text


def _parts(source: Source) -> list[str]:
    """The pages of all items, some together; while one part is compressed the next is made."""
    pages, items = Pages.of(source), source.items
    with ThreadPoolExecutor(1) as other:
        made = [
            other.submit(squeezed, as_bytes(pages.pages(items[first : first + TOGETHER])))
            for first in range(0, len(items), TOGETHER)
        ]
    return [one.result() for one in made]


def _refuse_strangers(source: Source) -> None:
    """Refuse what belongs to other demand."""
    ours, cadence = set(source.publication.items), source.publication.cadence
    history = None if source.trial is None else source.trial.history
    others: list[tuple[str, Any, Any]] = []
    if history is not None:
        others.append(("trial", history.cadence, history.names))
    if source.before is not None:
        others.append(("before", source.before.cadence, source.before.items))
    if source.watch is not None:
        others.append(("watch", source.watch.cadence, source.watch.items["item"].tolist() or source.watch.missing))
    for name, theirs, items in others:
        if theirs != cadence:
            raise ParameterError(name, theirs.name, f"the publication is {cadence.name}")
        if items and ours.isdisjoint(items):
            problem = (
                f"it has none of the items of the publication, which are {', '.join(source.publication.items[:3])}"
            )
            raise ParameterError(name, counted(len(items), "item"), f"{problem} and the like")


def _title(publication: Publication) -> str:
    """What the page is called in the window and in bookmarks."""
    items = publication.items
    what = items[0] if len(items) == 1 else counted(len(items), "item")
    return f"{what}: next {publication.cadence.length(publication.head.horizon)}"


def _head(source: Source) -> dict[str, Any]:
    """What all parts of the page need."""
    publication = source.publication
    head, cadence = publication.head, publication.cadence
    first, stop = source.span
    measure = head.demand.measure
    return {
        "title": _title(publication),
        "periods": [cadence.text(place) for place in range(first, stop)],
        "noun": cadence.noun,
        "plural": cadence.plural,
        "season": head.demand.season_length,
        "measure": measure.label,
        "unit": measure.unit or "",
        "adds": measure.adds_up,
        "levels": list(head.wanted.levels),
        "quantiles": list(head.wanted.quantiles),
        "totals_from": head.wanted.first,
        "summed": summed(publication),
        "horizon": head.horizon,
        "made": stamp(head.made.at),
        "known": head.demand.last,
        "tested": head.backtest is not None,
        "watched": source.watch is not None,
        "together": TOGETHER,
    }


def _digest(text: str) -> str:
    """What a content policy calls a script or style by."""
    return f"sha256-{base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()}"


@cache
def _part(name: str) -> str:
    return files("veridex.onepage").joinpath("parts", name).read_text(encoding="utf-8")


@cache
def _script() -> str:
    parts = "\n".join(_part(f"{name}.js").rstrip() for name in SCRIPTS)
    return f'"use strict";\n(() => {{\n{parts}\n}})();\n'


@cache
def _style() -> str:
    colours = {"ink": INK, "amber": AMBER, "teal": TEAL, "plum": PLUM, "paper": PAPER, "grid": GRID, "ground": GROUND}
    colours |= {f"band{place}": tint for place, tint in enumerate(BANDS)}
    names = "".join(f"--{name}: {value}; " for name, value in colours.items())
    return f":root {{ {names}}}\n{_part('page.css')}"


@cache
def _template() -> Any:
    environment = Environment(autoescape=True, undefined=StrictUndefined, keep_trailing_newline=True)
    return environment.from_string(_part("page.html"))
