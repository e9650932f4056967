"""Methods by a name that fits into a table or a legend."""

from veridex.core.methods.grammar import parse, split_lineup

__all__ = ["short_name"]


def short_name(method: str | None) -> str | None:
    """A method by its text; a combination by the number of its members and the largest one.

    Examples
    --------
    >>> short_name("combination of=[theta, arima p=1] weights=[0.25, 0.75]")
    'blend of 2: 75 % arima p=1 …'
    >>> short_name("combination of=[naive, drift, theta] weights=trimmed"), short_name("theta")
    ('trimmed mean of 3', 'theta')
    """
    if method is None or not method.startswith("combination of=["):
        return method
    inner, _, stated = method.removeprefix("combination of=[").rpartition("] weights=")
    if not inner:  # weights are left at their default
        return f"mean of {len(split_lineup(stated.removesuffix(']')))}"
    members, weights = split_lineup(inner), parse(f"x weights={stated}")[1]["weights"]
    if not isinstance(weights, list):
        return f"{weights} mean of {len(members)}"
    largest = weights.index(max(weights))
    return f"blend of {len(members)}: {100 * weights[largest] / sum(weights):.0f} % {members[largest]} …"
