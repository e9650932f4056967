"""From the errors of a backtest to published bounds: one arithmetic, for testing and for publishing."""
