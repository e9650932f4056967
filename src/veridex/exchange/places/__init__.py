"""Where named tables are kept, whole or not at all."""
