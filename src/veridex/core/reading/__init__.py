"""What an item is, read once from its history and its neighbours': life, pattern, season, what is expected of it."""
