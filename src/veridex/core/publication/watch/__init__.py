"""The watch: a publication against the actuals that came later."""
