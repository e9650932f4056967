"""The computation: nothing in here draws, prints, opens files or talks to a network."""
