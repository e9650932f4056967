"""What to try next, from what the residuals of a fit still show, with what sign, and what the model has already."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.audit import Audit
from veridex.core.diagnosis.portmanteau import autocorrelations
from veridex.core.methods.fold.account import Account
from veridex.core.methods.grammar import parse
from veridex.core.methods.method import Method
from veridex.core.readable import number

__all__ = ["Model", "next_steps", "sees_season", "settings_found"]

Z = 1.959963984540054
SHORT = 3
"""Lags that a plain order may be raised to."""

PRUNE = 0.05
ORDERS = ("p", "d", "q", "P", "D", "Q")

CARRY_A_SEASON = ("seasonal-naive", "seasonal-mean", "group-season", "theta")
"""Methods whose season is no part of their account."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Model:
    """What advice has to know of a fitted method.

    Attributes
    ----------
    name : str
        The method's name.
    settings : mapping of str to value
        As stated or as a search found them.
    estimates : tuple of str
        Names of its estimates.
    seasonal : bool
        Whether it sees a season.
    doubtful : tuple of str
        Coefficients that may well be zero.
    above_zero : bool
        Whether demand is, so that its logarithm can be taken.
    relative : bool
        Whether its errors are shares of the forecast.
    """

    name: str
    settings: Mapping[str, Any]
    estimates: tuple[str, ...] = ()
    seasonal: bool = False
    doubtful: tuple[str, ...] = ()
    above_zero: bool = False
    relative: bool = False
    orders: Mapping[str, int] = field(init=False)

    def __post_init__(self) -> None:
        given = {name: int(self.settings.get(name) or 0) for name in ORDERS}
        for order, lags in (("p", "lags"), ("q", "ma_lags")):
            given[order] = max((given[order], *(self.settings.get(lags) or ())))
        object.__setattr__(self, "orders", given)

    @property
    def searches(self) -> bool:
        """Whether its orders can be stated."""
        return self.name == "arima"


def sees_season(method: Method, account: Account | None) -> bool:
    """Whether a season is among the parts of a method, or it carries one on without splitting it off."""
    parts = () if account is None else (*account.parts, *account.contributions)
    return method.name in CARRY_A_SEASON or any(name.startswith("season") for name in parts)


def settings_found(method: Method, account: Account | None) -> dict[str, Any]:
    """The settings that were stated, of a search the orders that it found."""
    found = account is not None and method.family.name == "arima" and account.form
    return {**method.settings, **(parse(f"arima {found}").settings if found else {})}


def next_steps(model: Model, audit: Audit, residuals: FloatArray, season_length: int) -> tuple[str, ...]:
    """Advise what to change, in the order of Box and Jenkins: what remains first, what is too much last.

    Parameters
    ----------
    model : Model
    audit : Audit
    residuals : ndarray, shape (n,)
    season_length : int

    References
    ----------
    .. [1] Box, Jenkins, Reinsel and Ljung (2015), Time Series Analysis, 5th ed., chapter 8.
    """
    failed = {one.check for one in audit.checks if one.failed}
    steps = _what_remains(model, residuals, season_length) if "Ljung-Box" in failed else []
    if "bias" in failed:
        steps.append(f"The errors are off on average: {_against_bias(model)}.")
    if "changing spread" in failed:
        grows = any(one.check == "changing spread" and "grow" in one.reading for one in audit.checks)
        steps.append(f"The spread of the errors changes: {_against_spread(model, grows=grows)}.")
    if model.searches and model.doubtful and not steps:
        one = len(model.doubtful) == 1
        steps.append(f"{' and '.join(model.doubtful)} {'is' if one else 'are'} not significant: try prune={PRUNE}.")
    return tuple(steps)


def _what_remains(model: Model, residuals: FloatArray, season_length: int) -> list[str]:
    """Name the lags whose autocorrelation is beyond chance, and what takes it up."""
    known = np.flatnonzero(~np.isnan(residuals))
    errors = residuals[known[0] : known[-1] + 1]
    lags = min(max(season_length, SHORT), errors.size // 3)
    r, _ = autocorrelations(errors, lags)
    bound = Z / np.sqrt(known.size)
    if 1 < season_length <= lags and abs(r[season_length]) > bound:
        # A season that is missed correlates short lags too: they are judged once it is taken up.
        said = f"The season's lag remains (autocorrelation {number(float(r[season_length]), 2)})"
        return [f"{said}: {_at_the_season(model, float(r[season_length]))}."]
    short = [
        lag for lag in range(1, min(SHORT, lags) + 1) if abs(r[lag]) > bound and (lag != season_length or lag == 1)
    ]
    if short:
        at = max(short, key=lambda lag: abs(r[lag]))
        return [f"Lag {at} remains (autocorrelation {number(float(r[at]), 2)}): {_at_lag(model, at, float(r[at]))}."]
    return ["Autocorrelation remains at longer lags: look at the correlogram of the residuals."]


def _at_the_season(model: Model, r: float) -> str:
    """What takes up a correlation a season apart: more of the season where it is above zero, less where below."""
    orders = model.orders
    if model.searches and r > 0:
        if not orders["D"] and not orders["P"] + orders["Q"]:
            return "the season is missing, try D=1 Q=1, or P=1 where it fades"
        return f"the season is carried on too weakly, try {'D=1' if not orders['D'] else 'P=' + str(orders['P'] + 1)}"
    if model.searches:
        if orders["D"] and not orders["Q"]:
            return "a seasonal difference alone repeats each error a season later, Q=1 takes less of it"
        if orders["D"]:
            return f"a seasonal difference is too much here, try D=0 or season=dummies, or Q={orders['Q'] + 1}"
        if orders["P"]:
            return f"less of the last season, try P={orders['P'] - 1} or Q={orders['Q'] + 1}"
        return f"errors turn over a season, try Q={orders['Q'] + 1}"
    if r > 0:
        return (
            "the season is followed too slowly" if model.seasonal else "the method sees no season, take one that does"
        )
    if "gamma" in model.estimates or "gamma" in model.settings:
        return "the season is followed too fast, fix a smaller gamma="
    return (
        "less of the last season: take its mean over several, or one that follows slowly"
        if model.seasonal
        else ("errors turn over a season, which no season takes up")
    )


def _at_lag(model: Model, lag: int, r: float) -> str:
    """What takes up a correlation of neighbouring errors, by its sign and by the orders that there are."""
    orders = model.orders
    if model.searches:
        p, q = (lag if orders[one] < lag else orders[one] + 1 for one in ("p", "q"))
        if r < 0 and orders["d"]:
            return f"try q={q}, or d={orders['d'] - 1}: a difference too many leaves a correlation below zero"
        return f"try {f'p={p} or q={q}' if r > 0 else f'q={q} or p={p}'}"
    follows = "alpha" in model.estimates or "alpha" in model.settings
    if lag == 1 and follows:
        return f"the level is followed too {'slowly, a larger' if r > 0 else 'fast, a smaller'} alpha= takes it up"
    if lag == 1:
        return "the method follows too slowly" if r > 0 else "the method follows each value too far"
    return "arima can take up a single lag, with ma_lags="


def _against_bias(model: Model) -> str:
    """What the method lacks that would centre its errors; of one that has it, where else to look."""
    if model.searches and not model.orders["d"] + model.orders["D"] and "mean" not in model.estimates:
        return "let it have a constant, constant=yes"
    if (
        model.searches
        and not {"mean", "drift"} & set(model.estimates)
        and "change per" not in " ".join(model.estimates)
    ):
        return "demand drifts, try constant=yes"
    if not model.searches and "beta" not in model.estimates:
        return "take a method with a trend"
    return "the level may have moved, look at the breaks or fit a newer span"


def _against_spread(model: Model, *, grows: bool) -> str:
    """A transform where errors grow and none is taken, additive errors where shares of the forecast shrink."""
    if model.relative and not grows:
        return "its errors grow less than the forecast, try additive ones or a newer span"
    plain = model.settings.get("transform", "none") == "none" and not model.relative
    return "try transform=log, or a newer span" if grows and plain and model.above_zero else "fit a newer span"
