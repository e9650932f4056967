"""Methods by a name that fits into a table or a legend."""

from collections.abc import Sequence

from veridex.core.methods.grammar import parse, split_lineup

__all__ = ["distinct_names", "short_name"]


def distinct_names(texts: Sequence[str]) -> list[str]:
    """Methods by their bare names, with what tells them apart where names repeat; for the heads of columns.

    Examples
    --------
    >>> distinct_names(["naive", "arima p=1 d=1", "arima p=2 d=1"])
    ['naive', 'arima p=1', 'arima p=2']
    """
    words = [text.split() if "[" not in text else [short_name(text) or text] for text in texts]
    bare = [parts[0] for parts in words]
    names = []
    for parts in words:
        rivals = [other for other in words if other[0] == parts[0] and other is not parts]
        telling = [word for word in parts[1:] if not rivals or any(word not in other for other in rivals)]
        names.append(" ".join(parts[:1] + (telling if bare.count(parts[0]) > 1 else [])))
    return names if len(set(names)) == len(names) else list(texts)


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
