"""Predictive laws: what may be wanted at a lead time, as a code and a few numbers, and what can be read off it."""
