"""The fold contract: what every family does on plain arrays, and how a fold is run and replayed."""
