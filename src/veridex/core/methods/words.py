"""Numbers as a planner would write them."""

import math

__all__ = ["number", "quantity"]


def number(value: float, digits: int = 4) -> str:
    """A number with so many digits that count, thousands grouped, no powers of ten.

    Examples
    --------
    >>> number(12345.678), number(0.0123456), number(-3.0)
    ('12,346', '0.01235', '-3')
    """
    if not math.isfinite(value):
        return "not available" if math.isnan(value) else str(value)
    if value == 0:
        return "0"
    decimals = max(0, digits - 1 - math.floor(math.log10(abs(value))))
    text = f"{value:,.{min(decimals, 12)}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def quantity(value: float, unit: str | None) -> str:
    """A number with its unit, if there is one."""
    return f"{number(value)} {unit}" if unit else number(value)
