"""The record of runs: what was read, made and sent, and the rows behind each cell."""
