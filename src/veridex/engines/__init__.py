"""Engines that share the work of a backtest among processes."""
