"""The colours of the house, safe for colour-blind readers: figures and the board are drawn in them."""

__all__ = ["AMBER", "BANDS", "GRID", "GROUND", "INK", "PAPER", "PLUM", "TEAL", "TEALS"]

INK, AMBER, TEAL, PLUM = "#22313f", "#c9721f", "#1f7a8c", "#7b4b94"
"""Actuals, the winning forecast, contenders."""

PAPER, GRID, GROUND = "#fbfaf7", "#dfe3e0", "#f1efe8"

BANDS = ("#eab981", "#f3d4ae", "#f8e5cf", "#fbf0e3")
"""Amber tints, the narrowest band first: the wider the lighter."""

TEALS = ("#9cc7cf", "#c5dfe3", "#e0eef0", "#eff6f7")
"""Teal tints, for bands of what is not the forecast."""
