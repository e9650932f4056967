"""Numbers as people read them: grouped, with as many digits as count, in millions where they are long."""

import math

__all__ = ["number", "quantity", "tick_number"]

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


def tick_number(value: float, largest: float) -> str:
    """A tick of an axis by the largest on it: 1,500, or 0.5 thousand beside 12 thousand, never a power of ten.

    Examples
    --------
    >>> tick_number(1500.0, 6000.0), tick_number(500.0, 12_000.0), tick_number(3.5e6, 4e6)
    ('1,500', '0.5 thousand', '3.5 million')
    """
    if value == 0:
        return "0"
    if largest >= 1e18:
        return f"{value:.3g}"
    for size, word in (*MAGNITUDES, (1e3, "thousand")):
        if largest >= (10.0 if word == "thousand" else 1.0) * size:
            return f"{value / size:,.4g} {word}"
    return f"{value:,.0f}" if abs(value) >= 100 or value == int(value) else f"{value:.4g}"
