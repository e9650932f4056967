"""`Publication`: what is published for the items of a history, with the tables and the manifest that are made of it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, ClassVar

import pandas as pd

from veridex.core.notebook import Faced
from veridex.core.periods.cadence import Cadence
from veridex.core.publication.dossier import GroupTotals, ItemPublication
from veridex.core.publication.head import Head
from veridex.core.publication.manifest import manifest
from veridex.core.publication.models import models_of
from veridex.core.publication.tables import frame_of, totals_of
from veridex.errors import ItemUnknown

__all__ = ["Publication"]


@dataclass(frozen=True, eq=False, kw_only=True)
class Publication(Faced):
    """The published forecasts.

    Attributes
    ----------
    head : Head
        From what data, with what versions and scheme.
    published : mapping of str to ItemPublication
        By item, in the order of the history.
    groups : tuple of GroupTotals
    ledger : DataFrame
        Every repair of the history and every finding in it: item, period, what, before, after, why.
    """

    FACE: ClassVar[tuple[str, ...]] = ("forecasts",)

    head: Head
    published: Mapping[str, ItemPublication] = field(repr=False)
    groups: tuple[GroupTotals, ...] = field(default=(), repr=False)
    ledger: pd.DataFrame = field(repr=False)

    def __repr__(self) -> str:
        until = f"until {self.head.until}" if self.head.until else f"{self.head.horizon} ahead"
        return f"Publication({len(self.published)} items, {self.head.demand.cadence}, {until})"

    def __getitem__(self, item: str) -> ItemPublication:
        """What is published for one item.

        Raises
        ------
        ItemUnknown
            If it is not among them.
        """
        found = self.published.get(item)
        if found is None:
            raise ItemUnknown(item, self.items)
        return found

    @property
    def items(self) -> tuple[str, ...]:
        """The items published."""
        return tuple(self.published)

    @property
    def cadence(self) -> Cadence:
        """That of the history."""
        return Cadence.named(self.head.demand.cadence)

    @cached_property
    def frame(self) -> pd.DataFrame:
        """History and forecasts of all items under each other.

        Columns: item, period, kind (``actual`` or ``forecast``), step, value, std_error, the bounds of each level,
        method, tested (whether the lead time was backtested), reason, scenario (empty for the drivers themselves),
        one-sided quantiles, half-widths of the intervals absolute and in percent of the value, intervals (which kind),
        caution, benchmark (what it would have said), verdict (what it would have published, where a planner decided
        otherwise).
        History first, as it was read, then the forecasts, per item, those of each scenario after them.
        """
        return frame_of(self.published.values(), self.cadence, self.head.wanted)

    @cached_property
    def totals(self) -> pd.DataFrame:
        """Demand from the first lead time up to each step.

        Columns: group (``item``, ``all`` or a column), name, items, step, period (the last one added), the forecast
        between its bounds, quantiles, with their own calibration, intervals, tested.
        """
        return totals_of(self.published.values(), self.groups, self.cadence, self.head.wanted)

    @cached_property
    def models(self) -> pd.DataFrame:
        """A row per item, with what was fitted for it.

        Columns: item, method (what is published, its orders stated), decided (what was decided on), found (the form or
        orders of a search), constants (the estimates by name), members (of a blend, with their shares, forms and
        estimates), n_estimates, variance, log_likelihood, aicc, route, measure and error of the backtest, words,
        reason.
        """
        return models_of(self.published.values())

    @cached_property
    def manifest(self) -> dict[str, Any]:
        """From what data, with what versions, methods, coefficients and scheme, and how good."""
        return manifest(self.head, self.published.values(), self.groups)

    @property
    def forecasts(self) -> pd.DataFrame:
        """The rows that look ahead."""
        return self.frame[self.frame["kind"] == "forecast"].reset_index(drop=True)
