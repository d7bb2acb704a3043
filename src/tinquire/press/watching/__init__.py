"""Waiting: for sources that are all there and quiet, for files that arrive in a folder, for times of the calendar."""
