"""Exponential smoothing as innovations state-space models: recursion, likelihood, search, forecasts."""
