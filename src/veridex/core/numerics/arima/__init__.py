"""ARIMA models: differencing, the exact likelihood, and the search for its highest point."""
