"""`Account`: what a fitted method says of itself."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray

__all__ = ["Account", "Coefficients", "Member"]


@dataclass(frozen=True, slots=True)
class Coefficients:
    """Named estimates with their standard errors (NaN where the likelihood gives none).

    `degrees` are those of Student's t for the p-values; infinite for the normal law. `memory` names those that say how
    values follow each other (ARMA coefficients, smoothing constants), `at_edge` those on a wall of their region.
    """

    names: tuple[str, ...]
    values: FloatArray
    errors: FloatArray
    degrees: float = np.inf
    memory: frozenset[str] = frozenset()
    at_edge: frozenset[str] = frozenset()


class Member(NamedTuple):
    """One of the methods that a method is made of: text, share of one (NaN where it has none), account."""

    method: str
    share: float
    account: "Account"


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Account:
    """What a fitted method says of itself.

    Attributes
    ----------
    coefficients : Coefficients
        The estimates, named for the analyst.
    words : str
        What is carried forward, how fast it forgets, what trend and season it sees.
    equation : str
        The method with its numbers, a line per equation.
    variance : float
        Of the one-step errors (of relative ones where errors are multiplicative).
    innovations : ndarray, shape (n,)
        One-step errors on the scale that the method models: what an audit looks at.
    form : str
        What a search chose, written as settings; empty where nothing is searched.
    parts : mapping of str to ndarray, shape (n,)
        Parts of the series as the method sees them; none where it has no parts.
    contributions : mapping of str to ndarray, shape (n + horizon,)
        Parts that add up to fitted values and forecasts; none where there are none.
    roots : mapping of str to ndarray of complex
        Zeros of the polynomials that remember, by name.
    flags : tuple of str
        What is wrong with the estimates, in a few words each.
    figures : mapping of str to float
        Further figures of the fit, by name.
    likelihood_of : str
        What the values are that the likelihood is of: criteria compare where this is the same.
    relative : bool
        Whether innovations are shares of the forecast, as multiplicative errors are.
    members : tuple of Member
        What a method is made of; none of one that stands for itself.
    """

    coefficients: Coefficients
    words: str
    equation: str
    variance: float
    innovations: FloatArray
    form: str = ""
    parts: Mapping[str, FloatArray] = field(default_factory=dict)
    contributions: Mapping[str, FloatArray] = field(default_factory=dict)
    roots: Mapping[str, NDArray[np.complex128]] = field(default_factory=dict)
    flags: tuple[str, ...] = ()
    figures: Mapping[str, float] = field(default_factory=dict)
    likelihood_of: str = "values"
    relative: bool = False
    members: tuple[Member, ...] = ()
