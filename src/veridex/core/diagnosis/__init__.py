"""Knowing a series before modelling it."""
