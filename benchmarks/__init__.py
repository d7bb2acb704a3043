"""Measurements, each a ratio to a limit measured in the same run: `make bench`."""
