"""A method fitted to one series, what it says of itself, and forecasts made with it."""
