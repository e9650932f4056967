"""Methods by a name that fits into a table or a legend."""

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

from veridex.core.methods.grammar import written

if TYPE_CHECKING:
    from veridex.core.methods.method import Method

__all__ = ["brief_name", "distinct_names", "short_name", "short_texts"]


SHORT = 16
"""Letters of a text that need not be shortened."""


def distinct_names(methods: Sequence["Method"]) -> list[str]:
    """Methods by their bare names, with what tells them apart where names repeat; for the heads of columns.

    Examples
    --------
    >>> from veridex.core.methods.catalogue import method
    >>> distinct_names([method(text) for text in ("naive", "arima p=1 d=1", "arima p=2 d=1")])
    ['naive', 'arima p=1', 'arima p=2']
    """
    names = []
    for one in methods:
        rivals = [other for other in methods if other.name == one.name and other != one]
        telling = [pair for pair in one.given if any(pair not in other.given for other in rivals)]
        names.append(short_name(one) if one.members else written(one.name, telling))
    return names if len(set(names)) == len(names) else [one.text for one in methods]


def short_texts(texts: Iterable[str]) -> dict[str, str]:
    """Short names for the texts of methods that stand in one table, each telling the one from the others.

    Examples
    --------
    >>> short_texts(["theta", "holt-winters season=additive", "arima p=1 d=1 q=1 P=0 D=1 Q=1"])
    {'theta': 'theta', 'holt-winters season=additive': 'holt-winters', 'arima p=1 d=1 q=1 P=0 D=1 Q=1': 'arima'}
    """
    found, taken = {}, set[str]()
    for text in dict.fromkeys(texts):
        name, *settings = text.split(" ")
        spelled = bool(settings) and "=" in settings[0] and name != "combination"
        short = name if spelled and len(text) > SHORT else text
        for setting in settings:
            if short not in taken:
                break
            short = f"{name} {setting.partition('=')[2]}"
        number = 2
        while short in taken:
            short, number = f"{name} {number}", number + 1
        taken.add(short)
        found[text] = short
    return found


def brief_name(method: "Method") -> str:
    """A method in a word or two; of a blend its largest part, and how many others there are.

    Examples
    --------
    >>> from veridex.core.methods.catalogue import method
    >>> brief_name(method("combination of=[theta, naive, arima p=1] weights=[0.25, 0.1, 0.65]"))
    'arima +2'
    >>> brief_name(method("combination of=[naive, drift, theta] weights=trimmed")), brief_name(method("theta"))
    ('trimmed mean of 3', 'theta')
    """
    if not method.weights:
        return short_name(method)
    largest = max(range(len(method.members)), key=method.weights.__getitem__)
    return f"{method.members[largest].name} +{len(method.members) - 1}"


def short_name(method: "Method") -> str:
    """A method by its text; one that is made of others by how many they are, and the largest.

    Examples
    --------
    >>> from veridex.core.methods.catalogue import method
    >>> short_name(method("combination of=[theta, arima p=1] weights=[0.25, 0.75]"))
    'blend of 2: 75 % arima …'
    >>> short_name(method("combination of=[naive, drift, theta] weights=trimmed")), short_name(method("theta"))
    ('trimmed mean of 3', 'theta')
    """
    count = len(method.members)
    if not count:
        return method.text
    if method.weights:
        largest = max(range(count), key=method.weights.__getitem__)
        return f"blend of {count}: {100 * method.weights[largest]:.0f} % {distinct_names(method.members)[largest]} …"
    if method.name == "tuned":
        return f"tuned among {count}: {short_name(method.members[0])} …"
    how = method.settings["weights"]
    return f"mean of {count}" if how == "equal" else f"{how} mean of {count}"
