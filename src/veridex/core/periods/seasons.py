"""What a season is called where it is a column or a part."""

__all__ = ["season_name"]


def season_name(length: float) -> str:
    """The season of so many periods, as tables and parts name it.

    Examples
    --------
    >>> season_name(12), season_name(365.25)
    ('season_12', 'season_365.25')
    """
    return f"season_{length:g}"
