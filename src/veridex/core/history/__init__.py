"""Demand histories: their cadence, their periods, their values."""
