"""Deciding what to publish, with the evidence."""
