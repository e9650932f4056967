"""Pieces that outliers cannot bend: medians, expectations, steps of level and spread."""
