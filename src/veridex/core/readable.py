"""Numbers as people read them: grouped, with as many digits as count, in millions where they are long."""

import math

__all__ = ["number", "plain_number", "quantity"]

MAGNITUDES = ((1e12, "trillion"), (1e9, "billion"), (1e6, "million"))


def number(value: float, digits: int = 4) -> str:
    """A number with so many digits that count, thousands grouped, no powers of ten.

    Examples
    --------
    >>> number(12345.678), number(0.0123456), number(-3.0), number(39_480_000_000)
    ('12,346', '0.01235', '-3', '39.48 billion')
    """
    if not math.isfinite(value):
        return "not available" if math.isnan(value) else str(value)
    if value == 0:
        return "0"
    if abs(value) >= 1e18:
        return f"{value:.{digits}g}"  # nothing that anybody sells
    for size, word in MAGNITUDES:
        if abs(value) >= size:
            return f"{number(value / size, max(digits, 4))} {word}"
    decimals = max(0, digits - 1 - math.floor(math.log10(abs(value))))
    text = f"{value:,.{min(decimals, 12)}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def quantity(value: float, unit: str | None) -> str:
    """A number with its unit, if there is one."""
    return f"{number(value)} {unit}" if unit else number(value)


def plain_number(value: float) -> str:
    """A tick of an axis: 1,500 and 12 thousand and 3.5 million, never a power of ten."""
    if 1e4 <= abs(value) < 1e6:
        return f"{value / 1e3:,.4g} thousand"
    if abs(value) >= 1e6:
        return number(value)
    return f"{value:,.0f}" if abs(value) >= 100 or value == int(value) else f"{value:.4g}"
