"""Demand histories: their values, what is known of their items, what may explain them."""
