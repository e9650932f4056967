"""Matplotlib figures in one house style."""
