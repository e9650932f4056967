"""What a search found, said as settings: the method that is fitted again without searching."""

from collections.abc import Mapping

from veridex.core.methods.catalogue import method_of
from veridex.core.methods.grammar import parse
from veridex.core.methods.method import Method

__all__ = ["stated"]


def stated(one: Method, forms: Mapping[Method, str]) -> Method:
    """The method with what its searches found, members within; itself where that cannot be said in settings.

    Parameters
    ----------
    one : Method
    forms : mapping of Method to str
        What each method's search found last; empty or missing where it did not search.

    Examples
    --------
    >>> from veridex.core.methods.catalogue import method
    >>> arima = method("arima drivers=none")
    >>> stated(arima, {arima: "p=0 d=1 q=1 constant=no"}).text
    'arima d=1 q=1 constant=no drivers=none'
    """
    if one.name == "combination":
        members = tuple(stated(member, forms) for member in one.members)
        alike = len(set(members)) < len(members)
        return one if alike else method_of(one.name, dict(one.given) | {"of": members})
    found = forms.get(one, "")
    if not found or one.members or one.settings.get("transform") != "none":
        return one  # what is tuned finds a method, no settings; a power is told to two digits only
    settings = one.family.settled(dict(one.given), parse(f"{one.name} {found}").settings)
    return one if settings is None else method_of(one.name, settings)
