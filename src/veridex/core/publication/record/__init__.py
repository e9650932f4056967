"""The track record: what was published against what came."""
