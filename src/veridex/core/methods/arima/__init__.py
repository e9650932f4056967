"""The family `arima`."""
