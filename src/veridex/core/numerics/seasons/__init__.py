"""Seasons taken apart and taken out."""
