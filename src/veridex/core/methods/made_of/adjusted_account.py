"""What an adjusted method says of what was taken out before it looked: estimates, words, equation."""

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.made_of.asides import Aside
from veridex.core.methods.words import LOG_UNIT, effect_words, signed
from veridex.core.preparation.regressors import Column
from veridex.core.readable import number, quantity

__all__ = ["adjusted_equation", "adjusted_words", "with_effects"]


def with_effects(own: Coefficients, asides: Sequence[Aside], names: list[str]) -> Coefficients:
    """The method's estimates, then what was taken out."""
    effects = np.concatenate([aside.effects[: len(aside.names_of)] for aside in asides])
    errors = np.concatenate([np.sqrt(np.diag(aside.covariance))[: len(aside.names_of)] for aside in asides])
    return replace(
        own,
        names=(*own.names, *names),
        values=np.append(own.values, effects),
        errors=np.append(own.errors, np.where(errors > 0.0, errors, np.nan)),
    )


def adjusted_words(columns: Sequence[Column], asides: Sequence[Aside], stated: bool, series: ItemHistory) -> str:
    """Say what was taken out before the method looked."""
    said = []
    for aside in asides:
        if not aside.found:
            if not aside.season:
                said.append("Effects of drivers and events cannot be told in this span; demand is seen as it is.")
            elif stated:
                length = f"{number(aside.season, 6)} {series.cadence.plural}"
                said.append(f"The stated season of {length} cannot be told in this span; it is left in.")
            continue
        if not aside.season:
            unit = LOG_UNIT if aside.relative else series.unit
            told = effect_words(columns, aside.effects, unit)
            said.append(f"The effects of drivers and events are taken out first: {told[0].lower()}{told[1:]}")
            continue
        turn = aside.amount(np.arange(math.ceil(aside.season)), None)
        if aside.relative:
            swing = (
                f"from {number(100 * math.exp(float(turn.min())), 3)} to "
                f"{number(100 * math.exp(float(turn.max())), 3)} % of the level"
            )
        else:
            swing = f"by {quantity(float(np.ptp(turn)), series.unit)}"
        length = f"{number(aside.season, 6)} {series.cadence.plural}"
        said.append(f"A season of {length}, which swings {swing}, is taken out first and put back.")
    return " ".join(said)


def adjusted_equation(columns: Sequence[Column], asides: Sequence[Aside], own: str) -> str:
    """The method's equation, which is of adjusted demand, and the adjustment."""
    terms = []
    for aside in asides:
        if aside.found and aside.season:
            terms.append((aside.relative, f"{aside.label}[t]"))
        elif aside.found:
            text = "".join(f"{signed(float(b))} {c.name}[t]" for b, c in zip(aside.effects, columns, strict=True) if b)
            terms.append((aside.relative, text.removeprefix(" + ").removeprefix(" ")))
    lines = [
        f"y and its forecasts stand for demand {'divided by exp(' if relative else 'less ('}{text})"
        for relative, text in terms
    ]
    return "\n".join((own, *lines))
