"""Publications as tables, and back to the bit."""

from collections.abc import Iterator, Mapping, Sequence
from itertools import islice
from typing import Any

import pandas as pd

from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.manifest import FORMAT, head_entry, head_of
from veridex.core.publication.publication import Publication
from veridex.core.publication.tables import totals_of
from veridex.errors import PublicationUnreadable
from veridex.exchange.forms.extent import Extent
from veridex.exchange.forms.item_parts import PART, TABLES, Reader, layouts_under, part_of
from veridex.exchange.forms.laws import laws_table
from veridex.exchange.forms.shelves import FoundItems, PartedItems
from veridex.exchange.forms.views import about_of, views_of
from veridex.exchange.kept import Form, Found, Grouped, Kept, Layout, Part, arrow_table

__all__ = ["PUBLICATION"]

AT_ONCE = 4
"""Groups of rows up to which a publication is read as a whole: a thousand items."""


def _keep(publication: Publication) -> Kept:
    """A publication as tables."""
    head = head_entry(publication.head, publication.groups)
    layouts = layouts_under(head)
    shelf = publication.published
    extent = shelf.extent if isinstance(shelf, PartedItems) else Extent.of(shelf.values())
    return Kept(
        form=PUBLICATION,
        head=head,
        layouts=layouts,
        parts=lambda: _parts(publication, layouts),
        facts=_facts(publication),
        rows={"forecast": extent.rows, "total": extent.totals, "ledger": len(publication.ledger)},
        views=views_of(publication, extent),
        about=about_of(publication),
    )


def _parts(publication: Publication, layouts: Sequence[Layout]) -> Iterator[Part]:
    """The tables, some items after the others; then the groups."""
    head, schemas = publication.head, {one.name: one.schema for one in layouts}
    yield {"ledger": arrow_table(publication.ledger, schemas["ledger"])}
    if isinstance(publication.published, PartedItems):
        yield from publication.published.parts()
    else:
        left = iter(publication.published.values())
        while items := list(islice(left, PART)):
            yield part_of(items, head, layouts)
    if publication.groups:
        totals = totals_of((), publication.groups, publication.cadence, head.wanted)
        yield {"total": arrow_table(totals, schemas["total"]), "law": laws_table((), publication.groups)}


def _facts(publication: Publication) -> dict[str, Any]:
    """What a database says of the whole in columns."""
    head = publication.head
    return {
        "made": head.made.at,
        "items": len(publication.published),
        "cadence": head.demand.cadence,
        "horizon": head.horizon,
        "demand_from": head.demand.first,
        "demand_until": head.demand.last,
        "measure": head.demand.measure.name,
        "unit": head.demand.measure.unit or "",
        "veridex": head.made.versions.get("veridex", ""),
        "plan_file": "" if head.plan is None else head.plan.file,
        "plan_key": "" if head.plan is None else head.plan.key,
    }


def _restore(found: Found) -> Publication:
    """The publication that tables tell of."""
    head = head_of(found.head)
    published: Mapping[str, ItemPublication]
    if isinstance(found.tables, Grouped) and found.tables.groups("item") > AT_ONCE:
        published = parted = FoundItems(head, found.tables)
        reader = Reader(Found(found.head, parted.others), head)
    else:
        reader = Reader(found, head)
        published = reader.items()
    return Publication(
        head=head,
        published=published,
        groups=tuple(map(reader.group, found.head["group_totals"])),
        ledger=pd.DataFrame(found.columns("ledger")).astype(dict.fromkeys(("item", "what", "why"), "str")),
    )


PUBLICATION = Form(
    kind="publication",
    called="a publication",
    version=FORMAT,
    head_file="manifest.json",
    tables=TABLES,
    layouts=layouts_under,
    keep=_keep,
    restore=_restore,
    unreadable=PublicationUnreadable,
    recorded=("item",),
    newest=("forecast", "total", "item"),
)
