"""What is noted of items while a verdict is reached: what they say of methods, and what was chosen for them."""

from collections.abc import Mapping
from dataclasses import fields
from typing import NamedTuple

import numpy as np

from veridex.core.backtest.minutes import Noted
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.skill import Kin, Said
from veridex.core.verdict.together import Seldom

__all__ = ["Heard", "Told", "heard_of", "noted", "told_of"]

ARRAYS = ("origins", "actuals", "points", "spread", "transforms", "weights", "supports", "claimed")


Heard = tuple[Mapping[Kin, Said], Seldom | None]
"""What an item says of methods, by what it is alike to, and whether it belongs to a sum."""


class Told(NamedTuple):
    """What is kept of a choice: whose it is, its route, what bands learn from, and what would have been known before.

    `died` says that whoever worked on it did.
    """

    item: str
    route: str
    learned: Hindcast | None
    hindcast: Hindcast | None
    died: bool = False

    @classmethod
    def of(cls, choice: Choice) -> "Told":
        """That of a choice."""
        return cls(choice.item, choice.route, choice.learned, choice.hindcast, choice.died)


def noted(item: str, one: Heard | Told) -> Noted:
    """What is kept of what an item said, or of what was chosen for it."""
    if isinstance(one, Told):
        same = one.learned is one.hindcast
        found = Noted({"item": item, "route": one.route, "died": one.died, "same": same}, {})
        for name, own in (("hindcast", one.hindcast), ("learned", None if same else one.learned)):
            if own is not None:
                found.said[name] = {"cycles": own.cycles, "shifts": list(own.shifts)}
                found.arrays.update({f"{name}.{array}": getattr(own, array) for array in ARRAYS})
        return found
    said, seldom = one
    arrays = {f"{k}.{f.name}": getattr(own, f.name) for k, own in enumerate(said.values()) for f in fields(own)}
    if seldom is not None:
        arrays["seldom"] = np.frombuffer(seldom.origins, dtype=np.uint8)
    return Noted({"item": item, "kin": [list(kin) for kin in said]}, arrays)


def heard_of(kept: Noted) -> Heard:
    """What an item said."""
    said = {
        Kin(*kin): Said(**{f.name: np.array(kept.arrays[f"{k}.{f.name}"]) for f in fields(Said)})
        for k, kin in enumerate(kept.said["kin"])
    }
    seldom = kept.arrays.get("seldom")
    return said, None if seldom is None else Seldom(kept.said["item"], seldom.tobytes())


def told_of(kept: Noted) -> Told:
    """What was chosen for an item."""
    said = kept.said
    hindcast = _hindcast(kept, "hindcast")
    learned = hindcast if said["same"] else _hindcast(kept, "learned")
    return Told(said["item"], said["route"], learned, hindcast, said["died"])


def _hindcast(kept: Noted, name: str) -> Hindcast | None:
    own = kept.said.get(name)
    if own is None:
        return None
    arrays = {array: np.array(kept.arrays[f"{name}.{array}"]) for array in ARRAYS}
    return Hindcast(item=kept.said["item"], cycles=own["cycles"], shifts=tuple(own["shifts"]), **arrays)
