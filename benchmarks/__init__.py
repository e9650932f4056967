"""Speed and memory, as ratios to the bars of the project: `make bench`."""
