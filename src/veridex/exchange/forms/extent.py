"""How large a publication is."""

from collections.abc import Iterable
from dataclasses import dataclass

from veridex.core.publication.dossier import ItemPublication

__all__ = ["Extent"]


@dataclass(slots=True)
class Extent:
    """How much the tables of a publication hold, item by item.

    Attributes
    ----------
    rows, totals : int
        Of its tables of forecasts, history included, and of totals.
    first, last : int
        Ordinals of the first and the last period ahead; the last before the first where there is none.
    """

    rows: int = 0
    totals: int = 0
    first: int = 0
    last: int = -1

    @classmethod
    def of(cls, items: Iterable[ItemPublication]) -> "Extent":
        """That of all items."""
        found = cls()
        for one in items:
            found.add(one)
        return found

    def add(self, one: ItemPublication) -> None:
        """Add an item."""
        ahead = max(one.horizon, 0)
        self.rows += one.past.size + ahead * (1 + len(one.scenarios))
        self.totals += ahead
        if ahead:
            some = self.first <= self.last
            self.first = min(self.first, one.origin + 1) if some else one.origin + 1
            self.last = max(self.last, one.origin + ahead) if some else one.origin + ahead
