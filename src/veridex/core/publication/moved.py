"""How an item's publication differs from the one before: its method, and forecasts of the same periods."""

import numpy as np

from veridex.core.methods.method import Method
from veridex.core.publication.dossier import ItemPublication

__all__ = ["made_of", "moved", "shared_steps"]


def made_of(method: Method | None) -> tuple[Method, ...]:
    """What a method is made of, whatever the weights."""
    assert method is not None
    return tuple(sorted(method.members, key=lambda one: one.text)) if method.weights else (method,)


def shared_steps(before: ItemPublication, now: ItemPublication) -> tuple[int, int]:
    """By how many lead times the later one begins later, and how many periods both forecast."""
    if before.outlook is None or now.outlook is None:
        return 0, 0
    later = now.origin - before.origin
    shared = min(before.outlook.points.size - later, now.outlook.points.size) if later >= 0 else 0
    return later, max(shared, 0)


@np.errstate(all="ignore")
def moved(before: ItemPublication, now: ItemPublication) -> float:
    """How far forecasts of the same periods moved from one publication to the next, in percent of the former."""
    later, shared = shared_steps(before, now)
    if shared < 1:
        return np.nan
    assert before.outlook is not None
    assert now.outlook is not None
    old, new = before.outlook.points[later : later + shared], now.outlook.points[:shared]
    size = float(np.abs(old).sum())
    return 100.0 * float(np.abs(new - old).sum()) / size if size > 0.0 else np.nan
