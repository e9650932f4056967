"""What this process computes with: versions, and what the processor can do at once."""

import platform
from importlib.metadata import version

import numpy as np

from veridex.version import VERSION

__all__ = ["numeric_versions"]


def numeric_versions() -> dict[str, str]:
    """Versions of everything that numbers depend on, and the processor, where sums may differ in the last bit."""
    others = {name: version(name) for name in ("numpy", "scipy", "numba", "pandas")}
    return {"veridex": VERSION, "python": platform.python_version(), **others, "processor": _processor()}


def _processor() -> str:
    found = np.show_config(mode="dicts") or {}
    return " ".join((platform.machine(), *found.get("SIMD Extensions", {}).get("found", ())))
