"""Long simulations that check the statistics: `make verify`, or one part with `python -m verification PART`."""
