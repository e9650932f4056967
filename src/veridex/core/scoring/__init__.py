"""Measures of forecast error and of intervals, on plain arrays."""
