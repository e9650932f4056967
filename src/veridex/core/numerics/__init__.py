"""Compiled kernels on plain float64 arrays. They know no dates, no item names, nothing of Veridex."""
