"""Least squares on small dense designs, and a line that bends."""
