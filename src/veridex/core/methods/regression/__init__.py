"""The families of regressions on time, drivers and events."""
