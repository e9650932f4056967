"""Backtests: fit on the past only, forecast, compare with what came, move on."""
