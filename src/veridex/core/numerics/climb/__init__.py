"""Climbing a likelihood: damped steps inside a box, and the curvature at the top."""
