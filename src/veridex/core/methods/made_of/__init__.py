"""Families that are made of other methods: a transform around one, several joined, one of several chosen."""
