"""What errors offer: the nearest word, our word for the trade's, a list that is not too long."""

from difflib import get_close_matches

from veridex.trade import Kind, trade_word

__all__ = ["known_as", "listed", "near"]


def near(word: str, known: tuple[str, ...]) -> str:
    """Offer the nearest known word, if there is one."""
    close = get_close_matches(word, known, n=1, cutoff=0.6)
    return f" Did you mean {close[0]!r}?" if close else ""


def known_as(kind: Kind, word: str, known: tuple[str, ...]) -> str:
    """Our word for what the trade says; else what there is, and the nearest spelling."""
    trade = trade_word(kind, word)
    if trade is not None:
        return f"the trade's {trade.says} is `{trade.ours}` here."
    return f"there are {listed(known, 40)}.{near(word, known)}"


def listed(words: tuple[str, ...], most: int = 12) -> str:
    """Words with commas; beyond `most` only how many more there are."""
    shown = ", ".join(words[:most])
    return shown + (f" and {len(words) - most} more" if len(words) > most else "")
