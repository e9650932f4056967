"""The families of exponential smoothing."""
