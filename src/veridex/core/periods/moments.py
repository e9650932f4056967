"""Moments at which something was known, as ordinals of periods."""

import numpy as np

__all__ = ["NOW"]

NOW = int(np.iinfo(np.int64).max)
"""The moment at which everything that a history holds is known."""
