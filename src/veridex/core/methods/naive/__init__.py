"""The naive family and plain averages."""
