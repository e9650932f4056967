"""The only pipeline: read, tidy, explain, test, decide, override, publish, place, draw, tell."""
