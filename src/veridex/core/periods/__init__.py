"""The regular spacing of a history, and the arithmetic of its periods."""
