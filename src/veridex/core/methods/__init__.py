"""Forecasting methods: a file per family, one contract for their folds, one catalogue of their names."""
